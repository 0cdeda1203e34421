"""A page in Debian's chromium, without a window, driven by the browser's own protocol over a pair of pipes."""

from __future__ import annotations

import base64
import io
import itertools
import json
import os
import select
import shutil
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
from PIL import Image as Picture

from soft_lantern.proof.by_webgl import BROWSER, SWITCHES

SECONDS = 60
_MORE = ("--force-device-scale-factor=1", "--hide-scrollbars", "--remote-debugging-pipe")


class Page:
    """One page that is open."""

    def __init__(self, to: int, back: int) -> None:
        self._to, self._back = to, back
        self._numbers, self._read = itertools.count(1), b""
        self._session = ""
        self.said: list[str] = []
        """What the page complained of."""

    def open(self, path: Path, size: tuple[int, int], *, dark: bool = False, downloads: Path | None = None) -> None:
        """Show a file in a window of so many pixels."""
        target = self("Target.createTarget", url="about:blank")["targetId"]
        self._session = self("Target.attachToTarget", targetId=target, flatten=True)["sessionId"]
        for domain in ("Page", "Runtime", "Log"):
            self(f"{domain}.enable")
        self.resize(size)
        wished = {"prefers-color-scheme": "dark" if dark else "light", "prefers-reduced-motion": "reduce"}
        self("Emulation.setEmulatedMedia", features=[{"name": name, "value": each} for name, each in wished.items()])
        if downloads:
            self("Page.setDownloadBehavior", behavior="allow", downloadPath=str(downloads))
        self("Page.navigate", url=path.as_uri())
        self.until("document.readyState === 'complete' && document.documentElement.dataset.drawn > 0")

    def resize(self, size: tuple[int, int]) -> None:
        """Make the window so large, as a phone's where it is narrow."""
        narrow = size[0] < 600
        self("Emulation.setDeviceMetricsOverride", width=size[0], height=size[1], deviceScaleFactor=1, mobile=narrow)

    def __call__(self, method: str, **given: Any) -> dict[str, Any]:
        """Ask the browser for something."""
        number = next(self._numbers)
        asked = {"id": number, "method": method, "params": given}
        if self._session:
            asked["sessionId"] = self._session
        os.write(self._to, json.dumps(asked).encode() + b"\0")
        while True:
            told = self._next()
            if told.get("id") == number:
                assert "error" not in told, f"{method}: {told['error']}"
                return dict(told["result"])
            self._hear(told)

    def value(self, script: str) -> Any:
        """What an expression comes to in the page."""
        told = self("Runtime.evaluate", expression=script, returnByValue=True, awaitPromise=True)
        assert "exceptionDetails" not in told, told["exceptionDetails"]
        return told["result"].get("value")

    def until(self, script: str) -> None:
        """Wait until an expression is true in the page."""
        end = time.monotonic() + SECONDS
        while not self.value(script):
            assert time.monotonic() < end, f"never came true: {script}; the page said {self.said}"
            time.sleep(0.05)

    def click(self, what: str) -> None:
        """Click with the mouse in the middle of the element that a selector names."""
        there = f"document.querySelector({json.dumps(what)})"
        self.value(f"{there}.scrollIntoView({{block: 'center'}})")
        box = self.value(f"{there}.getBoundingClientRect().toJSON()")
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.mouse("mousePressed", x, y)
        self.mouse("mouseReleased", x, y)

    def mouse(self, kind: str, x: float, y: float) -> None:
        """One thing that a mouse does at a place."""
        buttons = 0 if kind == "mouseReleased" else 1
        self("Input.dispatchMouseEvent", type=kind, x=x, y=y, button="left", buttons=buttons, clickCount=1)

    def press(self, key: str) -> None:
        """Press a key, by its name."""
        told = {"key": key, "code": key, "windowsVirtualKeyCode": _CODES.get(key, 0)}
        text = {"text": key} if len(key) == 1 else {"text": "\r"} if key == "Enter" else {}
        self("Input.dispatchKeyEvent", type="keyDown", **told, **text)
        self("Input.dispatchKeyEvent", type="keyUp", **told)

    def type(self, what: str, text: str) -> None:
        """Click into a field, and put a text in place of what is there."""
        self.click(what)
        self.value(f"document.querySelector({json.dumps(what)}).select()")
        self("Input.insertText", text=text)
        self.press("Tab")

    def drawn(self) -> None:
        """Wait until the stage has been drawn once more, or was not asked to."""
        self.value("new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(() => done(true))))")

    def picture(self) -> npt.NDArray[np.uint8]:
        """The page as it is seen, (height, width, 3)."""
        data = base64.b64decode(self("Page.captureScreenshot", format="png")["data"])
        return np.asarray(Picture.open(io.BytesIO(data)).convert("RGB"))

    def _hear(self, told: dict[str, Any]) -> None:
        if told.get("method") == "Runtime.exceptionThrown":
            self.said.append(str(told["params"]["exceptionDetails"].get("exception", {}).get("description")))
        elif told.get("method") == "Log.entryAdded" and told["params"]["entry"]["level"] == "error":
            self.said.append(told["params"]["entry"]["text"])

    def _next(self) -> dict[str, Any]:
        while b"\0" not in self._read:
            ready, _, _ = select.select([self._back], [], [], SECONDS)
            assert ready, "the browser says nothing any more"
            data = os.read(self._back, 1 << 20)
            assert data, "the browser has ended"
            self._read += data
        message, _, self._read = self._read.partition(b"\0")
        return dict(json.loads(message))


_CODES = {"Enter": 13, "Tab": 9, "ArrowLeft": 37, "ArrowUp": 38, "ArrowRight": 39, "ArrowDown": 40, " ": 32}


def has_browser() -> bool:
    """Whether the browser is here."""
    return shutil.which(BROWSER) is not None


@contextmanager
def chromium(home: Path) -> Iterator[Page]:
    """The browser with one page, as long as it is wanted."""
    their_in, to = os.pipe()
    back, their_out = os.pipe()

    command = ["bash", "-c", f'exec {BROWSER} "$@" 3<&{their_in} 4>&{their_out}', "chromium", *SWITCHES, *_MORE]
    command += [f"--user-data-dir={home}", "about:blank"]
    browser = subprocess.Popen(
        command, pass_fds=(their_in, their_out), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    for each in (their_in, their_out):
        os.close(each)
    try:
        yield Page(to, back)
    finally:
        browser.terminate()
        browser.wait(30)
        os.close(to)
        os.close(back)
