"""The parameters of a material as one block of memory that every shading language lays out alike.

Vectors of four come first, then vectors of three, each with a number or nothing in its fourth place, then vectors of
two, then numbers. So the rules of std140 (OpenGL 4.60 specification, section 7.6.2.2), of HLSL's constant buffers
(Microsoft, "Packing rules for constant variables"), of Metal with packed vectors and of WGSL's uniform address space
(WGSL, section 14.4) come to the same offsets.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import numpy as np
from msgspec import Struct

from soft_lantern.ir.expr import Type, vector_type

BYTES = 4
"""Of one number."""
ROW = 16


class Slot(Struct, frozen=True):
    """A member of the block: its identifier, how many numbers it has, and its offset in bytes. "" is room left free."""

    identifier: str
    width: int
    offset: int

    @property
    def type(self) -> Type:
        """The type of the member."""
        return vector_type(self.width)


def laid_out(members: Iterable[tuple[str, int]]) -> list[Slot]:
    """Where each member goes, by its identifier and width from 1 to 4; the whole ends at a multiple of 16 bytes."""
    by_width: dict[int, list[str]] = {width: [] for width in (4, 3, 2, 1)}
    for identifier, width in members:
        by_width[width].append(identifier)
    slots: list[Slot] = []

    def put(identifier: str, width: int) -> None:
        end = slots[-1].offset + slots[-1].width * BYTES if slots else 0
        slots.append(Slot(identifier, width, end))

    numbers = by_width[1]
    for identifier in by_width[4]:
        put(identifier, 4)
    for identifier in by_width[3]:
        put(identifier, 3)
        put(numbers.pop(0) if numbers else "", 1)
    for identifier in by_width[2]:
        put(identifier, 2)
    for identifier in numbers:
        put(identifier, 1)
    while slots and (slots[-1].offset + slots[-1].width * BYTES) % ROW:
        put("", 1)
    return slots


def size_of(slots: Sequence[Slot]) -> int:
    """Bytes of the whole block."""
    return slots[-1].offset + slots[-1].width * BYTES if slots else 0


def filled(slots: Sequence[Slot], values: Mapping[str, Sequence[float]]) -> bytes:
    """The block in memory with values in it by identifier, 0 where there is none; never less than a row."""
    held = np.zeros(max(size_of(slots), ROW) // BYTES, np.float32)
    for slot in slots:
        at = slot.offset // BYTES
        held[at : at + slot.width] = values.get(slot.identifier, (0.0,) * slot.width)
    return held.tobytes()


def members(slots: Sequence[Slot]) -> list[tuple[str, Slot]]:
    """The members with a name for each, rooms left free counted on."""
    free = 0
    found = []
    for slot in slots:
        free += not slot.identifier
        found.append((slot.identifier or f"unused_{free}", slot))
    return found
