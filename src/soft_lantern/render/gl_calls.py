"""OpenGL as the binding calls it, but with its long calls made so that other threads of Python go on meanwhile.

The binding keeps the interpreter for the whole of a call: where a driver draws in software or compiles a program,
the window would stand still for as long.
"""

from __future__ import annotations

import ctypes
from ctypes import CFUNCTYPE, c_int, c_ssize_t, c_uint, c_void_p
from typing import Any

import glcontext
import moderngl

from soft_lantern.errors import NoGraphics

_LONG: dict[str, tuple[type, ...]] = {
    "glBlitFramebuffer": (c_int, c_int, c_int, c_int, c_int, c_int, c_int, c_int, c_uint, c_uint),
    "glBufferData": (c_uint, c_ssize_t, c_void_p, c_uint),
    "glClear": (c_uint,),
    "glCompileShader": (c_uint,),
    "glDrawArraysInstanced": (c_uint, c_int, c_int, c_int),
    "glDrawElementsInstanced": (c_uint, c_int, c_uint, c_void_p, c_int),
    "glFinish": (),
    "glGenerateMipmap": (c_uint,),
    "glGetTexImage": (c_uint, c_int, c_uint, c_uint, c_void_p),
    "glLinkProgram": (c_uint,),
    "glReadPixels": (c_int, c_int, c_int, c_int, c_uint, c_uint, c_void_p),
    "glRenderbufferStorage": (c_uint, c_uint, c_int, c_int),
    "glRenderbufferStorageMultisample": (c_uint, c_int, c_uint, c_int, c_int),
    "glTexImage2D": (c_uint, c_int, c_int, c_int, c_int, c_int, c_uint, c_uint, c_void_p),
    "glTexSubImage2D": (c_uint, c_int, c_int, c_int, c_int, c_int, c_uint, c_uint, c_void_p),
}
"""What calls that may take long are given, by name; none of them answers."""
_BESIDES: dict[str, tuple[type, ...]] = {
    "glBindFramebuffer": (c_uint, c_uint),
    "glTexParameteri": (c_uint, c_uint, c_int),
}
"""The same for short ones that the binding lacks a word for."""
_functions: dict[str, Any] = {}
"""What calls each of them."""
_handed: dict[tuple[str, int], Any] = {}
"""What the binding was handed for a name and an address. It stays: a context calls it as long as it lives."""


def new_context() -> moderngl.Context:
    """A context of OpenGL 3.3 without a window. Raises NoGraphics where none can be had."""
    try:
        return moderngl.create_context(require=330, standalone=True, context=_Driver())  # type: ignore[arg-type]
    except Exception as error:  # the binding raises many kinds, down to plain Exception
        raise NoGraphics(f"no OpenGL 3.3 on this machine ({error})") from error


def call(name: str, *given: object) -> None:
    """Call one of the functions above by its name, in the context that is current on this thread."""
    _functions[name](*given)


class _Driver:
    """Where the binding finds a context and the addresses of its functions."""

    def __init__(self) -> None:
        self._own = glcontext.get_backend_by_name("egl")(glversion=330, mode="standalone")

    def load_opengl_function(self, name: str) -> int:
        address: int = self._own.load_opengl_function(name)
        kinds = _LONG.get(name, _BESIDES.get(name))
        if not address or kinds is None:
            return address
        kind = CFUNCTYPE(None, *kinds)
        calling = _functions[name] = kind(address)
        if name in _BESIDES:
            return address
        # Of two threads that come here at once, both hand over what the first put there.
        handed = _handed.setdefault((name, address), kind(calling))
        return ctypes.cast(handed, c_void_p).value or 0

    def __enter__(self) -> None:
        self._own.__enter__()

    def __exit__(self, *_: object) -> None:
        self._own.__exit__()

    def release(self) -> None:
        self._own.release()
