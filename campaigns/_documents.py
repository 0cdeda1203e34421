"""MaterialX documents made to do harm."""

from __future__ import annotations

from pathlib import Path

HEAD = '<?xml version="1.0"?><materialx version="1.39" xmlns:xi="http://www.w3.org/2001/XInclude">'
END = """
<gltf_pbr name="s" type="surfaceshader"><input name="roughness" type="float" nodename="n"/></gltf_pbr>
<surfacematerial name="m" type="material">
  <input name="surfaceshader" type="surfaceshader" nodename="s"/>
</surfacematerial>
</materialx>
"""
NODES = 3000
CALLS = 40


def harmful_documents(witness: Path) -> dict[str, str]:
    """Documents by what is wrong with them. Some lead to a folder that is none of theirs."""
    chain = "".join(_sum(f"n{number}", nodename=f"n{number + 1}") for number in range(NODES))
    made = {
        "deep": '<nodegraph name="a">' * 50_000 + "</nodegraph>" * 50_000,
        "circle": _sum("n", nodename="b") + _sum("b", nodename="n"),
        "definition of itself": _definition(0, '<d0 name="n" type="float"/>') + _call(0, "n"),
        "doubling": _doubling(),
        "chain": _sum("n", nodename="n0") + chain + _sum(f"n{NODES}"),
        "path out": _picture("../witness/secret.png"),
        "path from the root": _picture(str(witness / "secret.png")),
        "device": _picture("/dev/zero"),
        "include": '<xi:include href="../witness/secret.json"/>',
        "entity": '<!DOCTYPE a [<!ENTITY b "c">]>',
        "no numbers": _sum("n", value="1e999") + _sum("o", value="nan"),
        "cut": "<add name='n' type='float'><input",
    }
    return {what: HEAD + nodes + END for what, nodes in made.items()}


def _sum(name: str, **given: str) -> str:
    said = " ".join(f'{key}="{value}"' for key, value in (given or {"value": "1"}).items())
    inputs = f'<input name="in1" type="float" {said}/><input name="in2" type="float" {said}/>'
    return f'<add name="{name}" type="float">{inputs}</add>'


def _picture(file: str) -> str:
    return f'<image name="n" type="float"><input name="file" type="filename" value="{file}"/></image>'


def _call(number: int, name: str) -> str:
    return f'<d{number} name="{name}" type="float"/>'


def _definition(number: int, nodes: str) -> str:
    """A node of its own and the graph that it is; the graph's node `n` is what it gives."""
    declared = f'<nodedef name="ND_d{number}" node="d{number}"><output name="out" type="float"/></nodedef>'
    given = '<output name="out" type="float" nodename="n"/>'
    return f'{declared}<nodegraph name="g{number}" nodedef="ND_d{number}">{nodes}{given}</nodegraph>'


def _doubling() -> str:
    """Nodes of which each is made of two of the next."""
    both = '<add name="n" type="float"><input name="in1" type="float" nodename="a"/>'
    both += '<input name="in2" type="float" nodename="b"/></add>'
    made = (_definition(n, _call(n + 1, "a") + _call(n + 1, "b") + both) for n in range(CALLS))
    return "".join(made) + _definition(CALLS, _sum("n")) + _call(0, "n")
