"""What the Picture lane shows in each stage: one module a stage, named as in ``stages/``."""

from __future__ import annotations

from importlib import import_module

from nuvlo.desktop.pictures.frames import StagePicture
from nuvlo.kit import Stage
from nuvlo.stages.registry import row


def picture_for(stage: Stage) -> StagePicture:
    """A fresh picture of a stage. Loaded when first wanted."""
    return picture_named(row(stage).module)


def picture_named(name: str) -> StagePicture:
    """A fresh picture by the name of its module: also of what is shown in more stages than one."""
    module = import_module(f"nuvlo.desktop.pictures.{name}")
    picture: StagePicture = module.Picture()
    return picture
