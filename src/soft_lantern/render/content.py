"""The content of a frame in one word: frames of the same content make the same picture with one renderer, in any run,
if they are drawn as finely.

Meshes, images and expressions are gone through once, however many frames hold them.
"""

from __future__ import annotations

import weakref
from collections.abc import Callable
from hashlib import blake2b

import numpy as np
from msgspec import Struct

from soft_lantern.ir.expr import Expr, Function, topological
from soft_lantern.render.frame import Frame
from soft_lantern.scene.mesh import Mesh
from soft_lantern.values.images import Image

Told = bytes | memoryview
Tell = Callable[[Told], object]
_BYTES = 16
_NOT_TOLD = frozenset({"names", "samples"})
"""What an artist calls the steps of a paint, which no picture shows, and how finely a frame is drawn."""


def content_of(frame: Frame) -> str:
    """The frame's content, as 32 hexadecimal digits. Raises TypeError where a frame holds what has no content."""
    told: list[Told] = []
    _tell(told.append, frame)
    return _digest(told).hex()


def _tell(tell: Tell, value: object) -> None:
    """Tell all that a value is made of."""
    if value is None or isinstance(value, bool | int | float | str):
        tell(repr(value).encode())
    elif isinstance(value, Mesh | Image):
        tell(_of_large(value))
    elif isinstance(value, Expr):
        tell(_of_expression(value))
    elif isinstance(value, np.ndarray):
        tell(f"{value.dtype.str} {value.shape}".encode())
        tell(np.ascontiguousarray(value).reshape(-1).view(np.uint8).data)
    elif isinstance(value, dict):
        _tell(tell, sorted(value.items()))
    elif isinstance(value, frozenset):
        _tell(tell, sorted(value))
    elif isinstance(value, tuple | list):
        tell(f"{len(value)} of".encode())
        for each in value:
            _tell(tell, each)
    elif isinstance(value, Struct):
        tell(type(value).__name__.encode())
        for field in value.__struct_fields__:
            if field not in _NOT_TOLD:
                _tell(tell, getattr(value, field))
    else:
        raise TypeError(f"a frame holds a {type(value).__name__}, which has no content of its own")


_LARGE: weakref.WeakKeyDictionary[Mesh | Image, bytes] = weakref.WeakKeyDictionary()
_EXPRESSIONS: weakref.WeakKeyDictionary[Expr, bytes] = weakref.WeakKeyDictionary()


def _of_large(value: Mesh | Image) -> bytes:
    kept = _LARGE.get(value)
    if kept is None:
        told: list[Told] = []
        for field in value.__struct_fields__:
            _tell(told.append, getattr(value, field))
        kept = _LARGE[value] = _digest(told)
    return kept


def _of_expression(root: Expr) -> bytes:
    if root not in _EXPRESSIONS:
        for expr in topological([root]):
            if expr not in _EXPRESSIONS:
                data = expr.data
                said = _of_function(data).hex() if isinstance(data, Function) else repr(data)
                arguments = b"".join([_EXPRESSIONS[each] for each in expr.args])
                text = f"{len(expr.args)} {expr.op} {expr.type.name} {said}".encode()
                _EXPRESSIONS[expr] = blake2b(arguments + text, digest_size=_BYTES).digest()
    return _EXPRESSIONS[root]


def _of_function(function: Function) -> bytes:
    return _digest([*(_of_expression(each) for each in function.parameters), _of_expression(function.body)])


def _digest(told: list[Told]) -> bytes:
    """One word for all that was told; each part's length is told with it, so that no two lists tell the same."""
    made = blake2b(repr([len(each) for each in told]).encode(), digest_size=_BYTES)
    for each in told:
        made.update(each)
    return made.digest()
