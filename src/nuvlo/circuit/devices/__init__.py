"""Junction devices, field-effect transistors and expressions: currents, charges and their derivatives.

Each device is seen as *branches* between pairs of nodes: a current and a charge flow in each, and depend on the voltages
of its own device's branches. Arrays end in the member axis.
"""

from nuvlo.circuit.devices.devices import Devices
from nuvlo.circuit.devices.group import Evaluation, NoiseCurrent
from nuvlo.circuit.devices.junction import BOLTZMANN, CHARGE, NOMINAL_TEMPERATURE, THERMAL_VOLTAGE, ZERO_CELSIUS

__all__ = [
    "BOLTZMANN", "CHARGE", "NOMINAL_TEMPERATURE", "THERMAL_VOLTAGE", "ZERO_CELSIUS", "Devices", "Evaluation",
    "NoiseCurrent",
]  # fmt: skip
