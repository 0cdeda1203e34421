"""Words an identifier must not be, and how a label becomes an identifier.

Sources: the GLSL 3.30 specification, section 3.6 (keywords and reserved words) and chapter 8 (built-in functions);
the GLSL ES 3.00 specification, section 3.7. Names beginning with gl_ or holding a double underscore are reserved too.
"""

from __future__ import annotations

import functools
import re
from collections.abc import Collection

from soft_lantern.values.names import Names

_TYPES = """
bool bvec2 bvec3 bvec4 float int ivec2 ivec3 ivec4 uint uvec2 uvec3 uvec4 vec2 vec3 vec4 void
mat2 mat3 mat4 mat2x2 mat2x3 mat2x4 mat3x2 mat3x3 mat3x4 mat4x2 mat4x3 mat4x4 double dvec2 dvec3 dvec4 half
isampler1D isampler1DArray isampler2D isampler2DArray isampler2DMS isampler2DRect isampler3D isamplerCube
sampler1D sampler1DArray sampler1DShadow sampler2D sampler2DArray sampler2DArrayShadow sampler2DMS sampler2DRect
sampler2DShadow sampler3D samplerBuffer samplerCube samplerCubeShadow usampler2D usampler2DArray usampler3D
usamplerCube image2D image3D imageCube
"""
_KEYWORDS = """
active asm attribute break buffer case cast centroid class coherent common const continue default discard do else
enum explicit extern external false filter fixed flat for goto highp hvec2 hvec3 hvec4 if in inline inout input
interface invariant layout long lowp mediump namespace noinline noperspective out output packed partition patch
precise precision public readonly resource restrict return sample sampler shared short sizeof smooth static struct
subroutine superp switch template this true typedef uniform union unsigned using varying volatile while writeonly
main
"""
_FUNCTIONS = """
abs acos acosh all any asin asinh atan atanh ceil clamp cos cosh cross dFdx dFdy degrees determinant distance dot
equal exp exp2 faceforward floor fract fwidth greaterThan greaterThanEqual inverse inversesqrt isinf isnan length
lessThan lessThanEqual log log2 matrixCompMult max min mix mod modf normalize not notEqual outerProduct pow radians
reflect refract round roundEven sign sin sinh smoothstep sqrt step tan tanh texelFetch texture textureGrad
textureLod textureOffset textureProj textureSize transpose trunc
"""
RESERVED = frozenset((_TYPES + _KEYWORDS + _FUNCTIONS).split())
_HLSL = """
AppendStructuredBuffer BlendState Buffer ByteAddressBuffer CompileShader ComputeShader ConsumeStructuredBuffer
DepthStencilState DepthStencilView DomainShader GeometryShader HullShader InputPatch LineStream OutputPatch
PixelShader PointStream RWBuffer RWByteAddressBuffer RWStructuredBuffer RWTexture1D RWTexture2D RWTexture3D
RasterizerState RenderTargetView SamplerComparisonState SamplerState StructuredBuffer Texture1D Texture2D
Texture2DArray Texture2DMS Texture3D TextureCube TriangleStream VertexShader asm_fragment bool1 cbuffer column_major
compile compile_fragment dword export float1 float2 float3 float4 float2x2 float3x3 float4x4 fxgroup groupshared
half2 half3 half4 int1 int2 int3 int4 line lineadj linear matrix min10float min12int min16float min16int min16uint
nointerpolation pass pixelfragment point register row_major snorm stateblock stateblock_state string tbuffer
technique technique10 technique11 texture1D texture2D texture3D textureCube triangle triangleadj uint1 uint2 uint3
uint4 unorm vector vertexfragment
asdouble asfloat asint asuint atan2 clip countbits ddx ddy fmod frac frexp isfinite ldexp lerp lit log10 mad mul
rcp rsqrt saturate sincos tex2D transpose
"""
HLSL_WORDS = frozenset(_HLSL.split())
"""Keywords and common functions of HLSL (Microsoft, HLSL reference: Keywords, Reserved words, Intrinsic functions)."""

_IDENTIFIER = re.compile(r"[A-Za-z][A-Za-z0-9_]*\Z")


def trouble_with_identifier(text: str) -> str | None:
    """Why `text` cannot be an identifier in generated code, as the end of a sentence, or None where it can."""
    if not text:
        return "is empty"
    if not _IDENTIFIER.match(text):
        return "must start with a letter and hold only letters, digits and _"
    if "__" in text or text.startswith("gl_"):
        return "has a form that GLSL keeps for itself"
    if text in RESERVED:
        return "is a word of GLSL"
    return None


def trouble_with_exposed(text: str) -> str | None:
    """The same for an identifier that other programs are to read: it must be no word of HLSL either."""
    return trouble_with_identifier(text) or ("is a word of HLSL" if text in HLSL_WORDS else None)


def as_identifier(label: str, taken: Collection[str] = (), fallback: str = "value") -> str:
    """An identifier close to a label: lower case, words joined by _, different from all `taken` and not reserved."""
    text = _plain_identifier(label, fallback)
    candidate, number = text, 2
    while candidate in taken:
        candidate, number = f"{text}_{number}", number + 1
    return candidate


class Identifiers:
    """Hands out identifiers that differ from each other and from those taken, in constant time for each."""

    def __init__(self, taken: set[str]) -> None:
        self._names = Names(taken, "_")

    def take(self, label: str) -> str:
        """An identifier close to a label, as `as_identifier` makes them."""
        return self._names.take(_plain_identifier(label, "value"))


@functools.lru_cache(maxsize=4096)
def _plain_identifier(label: str, fallback: str) -> str:
    text = re.sub(r"[^a-z0-9]+", "_", label.lower()).strip("_")
    if not text or not text[0].isalpha() or text.startswith("gl_"):
        text = f"{fallback}_{text}".strip("_")
    return f"{text}_value" if text in RESERVED else text
