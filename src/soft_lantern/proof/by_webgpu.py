"""Delivered text taken by naga and run by Mesa's software Vulkan or a graphics card, through the `wgpu` package."""

from __future__ import annotations

from typing import Any

import numpy as np

from soft_lantern.errors import LanternError
from soft_lantern.proof import glsl_points
from soft_lantern.proof.absent import Absent
from soft_lantern.proof.points import Rows, Trial
from soft_lantern.proof.vulkan_points import GIVEN, STAGES, Spot, stride

_VERTEX = """
@vertex fn whole(@builtin(vertex_index) n: u32) -> @builtin(position) vec4f {
    return vec4f(vec2f(f32(n & 1u), f32(n >> 1u)) * 4.0 - 1.0, 0.0, 1.0);
}
"""
Bound = tuple[dict[str, Any], Any]
"""What a binding is, and what is bound there."""


class WebGpu:
    """A device to run on. Raises Absent where there is none."""

    def __init__(self) -> None:
        try:
            import wgpu
        except ImportError as error:
            raise Absent("what runs on Vulkan is proven by the package wgpu, which is not installed") from error
        self._wgpu: Any = wgpu
        try:
            adapter = wgpu.gpu.request_adapter_sync()
            self._device: Any = adapter.request_device_sync()
        except Exception as error:  # of many kinds, as the drivers have it
            raise Absent(f"it is proven on Vulkan, and there is none: {error}") from error
        self.name = str(adapter.info.get("description") or adapter.info.get("device"))

    def accepts(self, code: str | bytes) -> str:
        """What is wrong with WGSL or SPIR-V, "" where it is sound."""
        try:
            self._device.create_shader_module(code=code)
        except Exception as error:  # naga's own kinds
            return str(error)
        return ""

    def run(self, tried: Trial, target: str = "wgsl") -> dict[str, Rows]:
        """What a surface comes to by its text for a target of `STAGES`, at the points of a trial.

        Raises LanternError where it is refused.
        """
        wgpu, device = self._wgpu, self._device
        stage, count = STAGES[target](tried), len(next(iter(tried.wanted.values())))
        bad = self.accepts(stage.code)
        if bad:
            raise LanternError(f"naga refuses it: {bad}")
        bound = self._bound(tried, stage.textures, stage.samplers)
        groups = [{at: each for (g, at), each in bound.items() if g == group} for group in (0, 1)]
        layouts = [
            device.create_bind_group_layout(entries=[kind | {"binding": at} for at, (kind, _) in sorted(each.items())])
            for each in groups
        ]
        drawn = device.create_texture(
            size=(count, len(tried.wanted), 1),
            format="rgba32float",
            usage=wgpu.TextureUsage.RENDER_ATTACHMENT | wgpu.TextureUsage.COPY_SRC,
        )
        pipeline = device.create_render_pipeline(
            layout=device.create_pipeline_layout(bind_group_layouts=layouts),
            vertex={"module": device.create_shader_module(code=_VERTEX), "entry_point": "whole"},
            fragment={
                "module": device.create_shader_module(code=stage.code),
                "entry_point": stage.entry,
                "targets": [{"format": "rgba32float"}],
            },
            primitive={"topology": "triangle-list"},
        )
        encoder = device.create_command_encoder()
        target_view = {"view": drawn.create_view(), "load_op": "clear", "store_op": "store"}
        work = encoder.begin_render_pass(color_attachments=[target_view])
        work.set_pipeline(pipeline)
        for number, (each, layout) in enumerate(zip(groups, layouts, strict=True)):
            entries = [{"binding": at, "resource": resource} for at, (_, resource) in sorted(each.items())]
            work.set_bind_group(number, device.create_bind_group(layout=layout, entries=entries))
        work.draw(3)
        work.end()
        device.queue.submit([encoder.finish()])
        size = count, len(tried.wanted), 1
        data = device.queue.read_texture({"texture": drawn}, {"bytes_per_row": count * 16}, size)
        return glsl_points.found(tried, np.frombuffer(data, np.float32).reshape(len(tried.wanted), count, 4))

    def _bound(self, tried: Trial, textures: dict[str, Spot], samplers: dict[str, Spot]) -> dict[Spot, Bound]:
        """Everything that is read, by its group and binding."""
        wgpu, device = self._wgpu, self._device
        seen = {"visibility": wgpu.ShaderStage.FRAGMENT}
        rows = [*tried.inputs.values()] or [np.zeros((len(next(iter(tried.wanted.values()))), 1), np.float32)]
        given = np.ascontiguousarray(np.column_stack(rows), np.float32)
        assert given.shape[1] == stride(tried)

        def buffer(data: Any, usage: int, kind: str) -> Bound:
            made = device.create_buffer_with_data(data=data, usage=usage)
            return seen | {"buffer": {"type": kind}}, {"buffer": made, "offset": 0, "size": made.size}

        bound = {GIVEN: buffer(given, wgpu.BufferUsage.STORAGE, "read-only-storage")}
        if tried.program.block:
            bound[0, 0] = buffer(tried.block, wgpu.BufferUsage.UNIFORM, "uniform")
        for name, spot in textures.items():
            texels = np.ascontiguousarray(tried.pictures[name].linear(), np.float32)
            size = texels.shape[1], texels.shape[0], 1
            usage = wgpu.TextureUsage.TEXTURE_BINDING | wgpu.TextureUsage.COPY_DST
            made = device.create_texture(size=size, format="rgba32float", usage=usage)
            device.queue.write_texture({"texture": made}, texels, {"bytes_per_row": size[0] * 16}, size)
            bound[spot] = seen | {"texture": {"sample_type": "unfilterable-float"}}, made.create_view()
        sampler = device.create_sampler(address_mode_u="repeat", address_mode_v="repeat")
        for spot in samplers.values():
            bound[spot] = seen | {"sampler": {"type": "non-filtering"}}, sampler
        return bound
