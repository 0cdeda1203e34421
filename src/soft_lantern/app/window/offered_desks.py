"""The desks a window offers, in the order of the job: each is imported when it or its commands are first wanted."""

from __future__ import annotations

from collections.abc import Callable

from soft_lantern.app.command import Commands
from soft_lantern.app.desks.desk import Desk

Offered = tuple[type[Desk], Commands]
"""A kind of desk, and what it offers."""


def _build() -> Offered:
    from soft_lantern.app.desks.build.desk import BUILD_COMMANDS, BuildDesk

    return BuildDesk, BUILD_COMMANDS


def _colour() -> Offered:
    from soft_lantern.app.desks.colour.desk import COLOUR_COMMANDS, ColourDesk

    return ColourDesk, COLOUR_COMMANDS


def _tune() -> Offered:
    from soft_lantern.app.desks.tune.desk import TUNE_COMMANDS, TuneDesk

    return TuneDesk, TUNE_COMMANDS


def _dress() -> Offered:
    from soft_lantern.app.desks.dress.desk import DRESS_COMMANDS, DressDesk

    return DressDesk, DRESS_COMMANDS


def _deliver() -> Offered:
    from soft_lantern.app.desks.deliver.desk import DELIVER_COMMANDS, DeliverDesk

    return DeliverDesk, DELIVER_COMMANDS


DESKS: dict[str, Callable[[], Offered]] = {
    "Build": _build,
    "Colour": _colour,
    "Tune": _tune,
    "Dress": _dress,
    "Deliver": _deliver,
}
"""By name. A window opens sooner without the four that it does not show."""
