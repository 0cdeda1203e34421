"""WGSL compiled by naga and run by Mesa's software Vulkan or a graphics card, through the `wgpu` package."""

from __future__ import annotations

from typing import Any

import numpy as np

from soft_lantern.errors import LanternError
from soft_lantern.formats.shaders import wgsl
from soft_lantern.formats.shaders.surface import SurfaceProgram
from soft_lantern.ir.expr import vector_type
from soft_lantern.proof.points import Rows, Trial

GROUP = 64


class WebGpu:
    """A device to run on. Raises LanternError where there is none."""

    def __init__(self) -> None:
        try:
            import wgpu
        except ImportError as error:
            raise LanternError("WGSL is proven by the package wgpu, which is not installed") from error
        self._wgpu: Any = wgpu
        try:
            adapter = wgpu.gpu.request_adapter_sync()
            self._device: Any = adapter.request_device_sync()
        except Exception as error:  # of many kinds, as the drivers have it
            raise LanternError(f"WGSL is proven on Vulkan, and there is none: {error}") from error
        self.name = str(adapter.info.get("description") or adapter.info.get("device"))

    def accepts(self, text: str) -> str:
        """What is wrong with a text, "" where it is sound."""
        try:
            self._device.create_shader_module(code=text)
        except Exception as error:  # naga's own kinds
            return str(error)
        return ""

    def run(self, tried: Trial) -> dict[str, Rows]:
        """What a surface that reads no textures comes to by its WGSL, at the points of a trial."""
        wgpu, device, program = self._wgpu, self._device, tried.program
        count = len(next(iter(tried.wanted.values())))
        given = np.column_stack([*tried.inputs.values(), np.zeros((count, 1), np.float32)]).astype(np.float32)
        widths = {name: rows.shape[1] for name, rows in tried.wanted.items()}
        text = _with_entry(program, {n: r.shape[1] for n, r in tried.inputs.items()}, given.shape[1], widths, count)
        held = [
            device.create_buffer_with_data(
                data=np.ascontiguousarray(given, np.float32), usage=wgpu.BufferUsage.STORAGE
            ),
            device.create_buffer(
                size=max(sum(widths.values()) * count * 4, 16),
                usage=wgpu.BufferUsage.STORAGE | wgpu.BufferUsage.COPY_SRC,
            ),
        ]
        kinds = ["read-only-storage", "storage"]
        groups = [(held, kinds)]
        if program.block:
            block = device.create_buffer_with_data(data=tried.block, usage=wgpu.BufferUsage.UNIFORM)
            groups.insert(0, ([block], ["uniform"]))
        else:
            groups.insert(0, ([], []))
        layouts = [
            device.create_bind_group_layout(
                entries=[
                    {"binding": n, "visibility": wgpu.ShaderStage.COMPUTE, "buffer": {"type": kind}}
                    for n, kind in enumerate(kinds)
                ]
            )
            for _, kinds in groups
        ]
        pipeline = device.create_compute_pipeline(
            layout=device.create_pipeline_layout(bind_group_layouts=layouts),
            compute={"module": device.create_shader_module(code=text), "entry_point": "prove"},
        )
        encoder = device.create_command_encoder()
        work = encoder.begin_compute_pass()
        work.set_pipeline(pipeline)
        for number, ((buffers, _), layout) in enumerate(zip(groups, layouts, strict=True)):
            entries = [
                {"binding": n, "resource": {"buffer": buffer, "offset": 0, "size": buffer.size}}
                for n, buffer in enumerate(buffers)
            ]
            work.set_bind_group(number, device.create_bind_group(layout=layout, entries=entries))
        work.dispatch_workgroups((count + GROUP - 1) // GROUP)
        work.end()
        device.queue.submit([encoder.finish()])
        rows = np.frombuffer(device.queue.read_buffer(held[1]), np.float32)[: count * sum(widths.values())]
        table, at, found = rows.reshape(count, -1), 0, {}
        for name, width in widths.items():
            found[name] = table[:, at : at + width]
            at += width
        return found


def _with_entry(
    program: SurfaceProgram, inputs: dict[str, int], stride: int, results: dict[str, int], count: int
) -> str:
    """The delivered text with an entry point that calls the surface at each of so many points."""
    (text,) = wgsl.files(program).values()
    lines, at = [], 0
    for name, width in inputs.items():
        parts = ", ".join(f"given[row + {at + part}u]" for part in range(width))
        lines.append(f"    inputs.{name} = {wgsl.NAMES[vector_type(width)]}({parts});")
        at += width
    lines.append(f"    let surface = {program.base}(inputs);")
    at, wide = 0, sum(results.values())
    for name, width in results.items():
        for part in range(width):
            letter = f".{'xyzw'[part]}" if width > 1 else ""
            lines.append(f"    found[id.x * {wide}u + {at + part}u] = surface.{name}{letter};")
        at += width
    return "\n".join(
        [
            text,
            "@group(1) @binding(0) var<storage, read> given: array<f32>;",
            "@group(1) @binding(1) var<storage, read_write> found: array<f32>;",
            f"@compute @workgroup_size({GROUP}) fn prove(@builtin(global_invocation_id) id: vec3u) {{",
            f"    if (id.x >= {count}u) {{ return; }}",
            f"    let row = id.x * {stride}u;",
            f"    var inputs: {program.type_name}Inputs;",
            *lines,
            "}",
            "",
        ]
    )
