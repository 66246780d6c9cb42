"""What the Picture lane shows in each stage: one module a stage, named as in ``stages/``."""

from __future__ import annotations

from importlib import import_module

from PyQt6.QtWidgets import QWidget

from nuvlo.kit import Stage

MODULES = {Stage.SET: "set_up"}


def picture_for(stage: Stage) -> QWidget:
    """A fresh picture of a stage. It has ``show_session(session, now, side)``. Loaded when first wanted."""
    module = import_module(f"nuvlo.desktop.pictures.{MODULES.get(stage, stage.value)}")
    widget: QWidget = module.Picture()
    return widget
