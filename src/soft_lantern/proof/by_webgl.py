"""GLSL ES 3.00 run in WebGL 2 by Debian's chromium, without a window: many trials in one page."""

from __future__ import annotations

import base64
import contextlib
import json
import os
import re
import shutil
import signal
import subprocess
import tempfile
import threading
import time
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
from msgspec import Struct

from soft_lantern.errors import LanternError
from soft_lantern.proof import glsl_points
from soft_lantern.proof.points import LIMIT, Rows, Trial

BROWSER = "chromium"
SECONDS = 300
FUNCTIONS = {"sin": np.sin, "cos": np.cos}
GAIN = 4.0
"""How much larger what a function is off may become on its way to the surface."""
SWITCHES = (
    *("--headless", "--no-sandbox", "--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--no-first-run"),
    *("--disable-quic", "--disable-background-networking", "--disable-component-update", "--disable-sync"),
)
_PAGE = """<!doctype html><title>proof</title><pre id="found"></pre><script>
const trials = @TRIALS@;
const gl = document.createElement("canvas").getContext("webgl2");
gl.getExtension("EXT_color_buffer_float");
const floats = (text) => new Float32Array(Uint8Array.from(atob(text), (letter) => letter.charCodeAt(0)).buffer);
function run({ vertex, fragment, given, rows, points, results, block, pictures }) {
  const program = gl.createProgram();
  for (const [kind, text] of [[gl.VERTEX_SHADER, vertex], [gl.FRAGMENT_SHADER, fragment]]) {
    const shader = gl.createShader(kind);
    gl.shaderSource(shader, text);
    gl.compileShader(shader);
    if (!gl.getShaderParameter(shader, gl.COMPILE_STATUS)) return { refused: gl.getShaderInfoLog(shader) };
    gl.attachShader(program, shader);
  }
  gl.linkProgram(program);
  if (!gl.getProgramParameter(program, gl.LINK_STATUS)) return { refused: gl.getProgramInfoLog(program) };
  const picture = (width, height, data) => {
    const made = gl.createTexture();
    gl.bindTexture(gl.TEXTURE_2D, made);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA32F, width, height, 0, gl.RGBA, gl.FLOAT, data);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, gl.NEAREST);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.NEAREST);
    return made;
  };
  const computed = picture(points, results, null);
  gl.bindFramebuffer(gl.FRAMEBUFFER, gl.createFramebuffer());
  gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, computed, 0);
  picture(points, rows, floats(given));
  gl.useProgram(program);
  Object.entries(pictures).forEach(([name, { width, height, texels }], at) => {
    gl.activeTexture(gl.TEXTURE1 + at);
    picture(width, height, floats(texels));
    gl.uniform1i(gl.getUniformLocation(program, name), at + 1);
  });
  gl.activeTexture(gl.TEXTURE0);
  const place = block ? gl.getUniformBlockIndex(program, block.name) : gl.INVALID_INDEX;
  if (place !== gl.INVALID_INDEX) {
    gl.uniformBlockBinding(program, place, 0);
    gl.bindBufferBase(gl.UNIFORM_BUFFER, 0, gl.createBuffer());
    gl.bufferData(gl.UNIFORM_BUFFER, floats(block.data), gl.STATIC_DRAW);
  }
  gl.viewport(0, 0, points, results);
  gl.drawArrays(gl.TRIANGLES, 0, 3);
  const found = new Float32Array(points * results * 4);
  gl.readPixels(0, 0, points, results, gl.RGBA, gl.FLOAT, found);
  let letters = "";
  for (const byte of new Uint8Array(found.buffer)) letters += String.fromCharCode(byte);
  return { found: btoa(letters) };
}
document.getElementById("found").textContent = JSON.stringify({
  name: gl.getParameter(gl.VERSION), runs: trials.map(run) });
</script>
"""


class Answer(Struct, frozen=True, eq=False):
    """What ran trials, and what surfaces come to by their GLSL ES, or why one was refused.

    `limits`: how far each may be off: a little more than the coarsest function that it calls. GLSL ES 3.00 leaves the
    precision of sine and cosine open (section 4.5.1), so that is measured in the same run.
    """

    name: str
    found: list[dict[str, Rows] | str]
    limits: list[float]


def run(trials: Sequence[Trial], left: threading.Event | None = None) -> Answer:
    """Run surfaces. Raises LanternError where there is no such browser, or it does not answer.

    `left`: set from another thread where nobody waits for the answer any more.
    """
    path = shutil.which(BROWSER)
    if path is None:
        raise LanternError(f"GLSL ES is proven by {BROWSER}, of Debian's package {BROWSER}, which is not installed")
    rows = [_asked(*glsl_points.texts(t, "glsl-es"), glsl_points.given(t), len(t.wanted), t) for t in trials]
    angles = np.linspace(-30, 30, 2000, dtype=np.float32)
    given = np.tile(angles[None, :, None], (1, 1, 4))
    rows.append(_asked(*_functions(), given, 1))
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as home:
        page = Path(home) / "proof.html"
        page.write_text(_PAGE.replace("@TRIALS@", json.dumps(rows).replace("<", "\\u003c")), encoding="utf-8")
        command = [path, *SWITCHES, f"--user-data-dir={home}/profile", "--dump-dom", page.as_uri()]
        told = _told(command, left or threading.Event())
    said = re.search(r'<pre id="found">(\{.*\})</pre>', told)
    if said is None:
        raise LanternError(f"{BROWSER} ran nothing: it has no WebGL 2 here")
    answer = json.loads(said[1])
    *runs, own = (row.get("refused") or _table(row, asked) for row, asked in zip(answer["runs"], rows, strict=True))
    found = [t if isinstance(t, str) else glsl_points.found(each, t) for each, t in zip(trials, runs, strict=True)]
    if isinstance(own, str):
        raise LanternError(f"{BROWSER} refuses a shader of sine and cosine: {own}")
    exact = np.stack([function(angles.astype(np.float64)) for function in FUNCTIONS.values()], axis=-1)
    coarse = dict(zip(FUNCTIONS, np.abs(own[0, :, : len(FUNCTIONS)] - exact).max(axis=0), strict=True))
    limits = []
    for row in rows[:-1]:
        called = [name for name in FUNCTIONS if re.search(rf"\b{name}\(", str(row["fragment"]))]
        limits.append(max([LIMIT, *(GAIN * float(coarse[name]) for name in called)]))
    return Answer(str(answer["name"]), found, limits)


def _told(command: Sequence[str], left: threading.Event) -> str:
    """What the browser writes, which is ended with all its processes where it has not within SECONDS."""
    end = time.monotonic() + SECONDS
    browser = subprocess.Popen(
        command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, start_new_session=True
    )
    try:
        while not left.is_set() and time.monotonic() < end:
            try:
                return browser.communicate(timeout=0.1)[0]
            except subprocess.TimeoutExpired:
                continue
        raise LanternError(f"{BROWSER} did not answer within {SECONDS} seconds")
    finally:
        with contextlib.suppress(ProcessLookupError):
            os.killpg(browser.pid, signal.SIGKILL)
        browser.wait()


def _functions() -> tuple[str, str]:
    """Shaders that give the functions whose precision is the driver's own."""
    vertex, head = glsl_points.around("glsl-es")
    called = ", ".join(f"{name}(x)" for name in FUNCTIONS)
    body = f"float x = texelFetch({glsl_points.DATA}, ivec2(int(gl_FragCoord.x), 0), 0).x;"
    return vertex, f"{head}void main() {{\n    {body}\n    pixel = vec4({called}, 0.0, 0.0);\n}}\n"


def _asked(vertex: str, fragment: str, given: Rows, results: int, tried: Trial | None = None) -> dict[str, object]:
    pictures = tried.pictures if tried else {}
    return {
        "vertex": vertex,
        "fragment": fragment,
        "given": _letters(given),
        "rows": given.shape[0],
        "points": given.shape[1],
        "results": results,
        "block": {"name": glsl_points.block_of(tried), "data": _in_letters(tried.block)} if tried else None,
        "pictures": {
            name: {"width": image.width, "height": image.height, "texels": _letters(image.linear())}
            for name, image in pictures.items()
        },
    }


def _letters(numbers: Rows) -> str:
    return _in_letters(numbers.tobytes())


def _in_letters(data: bytes) -> str:
    return base64.b64encode(data).decode()


def _table(row: dict[str, str], asked: dict[str, Any]) -> Rows:
    found = np.frombuffer(base64.b64decode(row["found"]), np.float32)
    return found.reshape(asked["results"], asked["points"], 4)
