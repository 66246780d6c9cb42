"""Names of nets that are the same in every kit."""

GROUND_NAMES = ("0", "gnd")
UNCONNECTED = "nc"  # the net of a pad that nothing is joined to
