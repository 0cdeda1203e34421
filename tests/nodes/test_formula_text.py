"""Formulas are read as the grammar of GLSL expressions has it, held against a parser generated from that grammar."""

from __future__ import annotations

import functools
from typing import Any

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from lark import Lark, Tree
from lark.exceptions import UnexpectedCharacters, UnexpectedInput

from soft_lantern.nodes.formula_text import DEEPEST, LONGEST, FormulaError, Term, parse

# The GLSL 3.30 specification, chapter 9: the productions of conditional_expression that formulas have.
GRAMMAR = r"""
?start: choice
?choice: either | either "?" choice ":" choice -> choose
?either: both | either "||" both -> or_
?both: equality | both "&&" equality -> and_
?equality: relation | equality "==" relation -> equal | equality "!=" relation -> unequal
?relation: sum | relation "<" sum -> less | relation ">" sum -> greater
    | relation "<=" sum -> at_most | relation ">=" sum -> at_least
?sum: product | sum "+" product -> add | sum "-" product -> subtract
?product: unary | product "*" unary -> multiply | product "/" unary -> divide
?unary: postfix | "-" unary -> negate | "+" unary | "!" unary -> not_
?postfix: atom | postfix "." NAME -> part
?atom: NUMBER -> number | NAME -> name | NAME "(" choice ("," choice)* ")" -> call | "(" choice ")"
NUMBER: /(\d+\.\d*|\.\d+|\d+)([eE][+-]?\d+)?[fF]?/
NAME: /[A-Za-z_][A-Za-z0-9_]*/
%ignore /\s+/
"""
signs = st.sampled_from(["+", "-", "*", "/", "<", ">", "<=", ">=", "==", "!=", "&&", "||", " - ", " > "])
leaves = st.sampled_from(["a", "b2", "1", "2.", ".5f", "1e-3"])


def larger(parts: st.SearchStrategy[str]) -> st.SearchStrategy[str]:
    return st.one_of(
        st.tuples(parts, signs, parts).map("".join),
        parts.map("({})".format),
        st.tuples(st.sampled_from("-+!"), parts).map("".join),
        st.tuples(parts, parts, parts).map(lambda three: "{} ? {}:{}".format(*three)),
        st.lists(parts, min_size=1, max_size=3).map(lambda given: f"f({', '.join(given)})"),
        st.tuples(parts, st.sampled_from(["x", " yz"])).map(lambda two: "({}).{}".format(*two)),
    )


formulas = st.recursive(leaves, larger, max_leaves=12)
words = st.sampled_from([*"ab1+-*/().?:<>!,$=& é", "2.", ".x", "vec3", "<=", "&&", "||"])


@functools.cache
def reference() -> Lark:
    return Lark(GRAMMAR, parser="lalr", propagate_positions=True)


def as_rows(node: Any) -> tuple[Any, ...]:
    """A tree of either parser: what it does, the column of its word or else of its beginning, the word, its parts."""
    if isinstance(node, Term):
        return (node.does, node.column, node.word, *map(as_rows, node.parts))
    parts = [as_rows(each) for each in node.children if isinstance(each, Tree)]
    word = next((each for each in node.children if not isinstance(each, Tree)), None)
    return (str(node.data), word.column if word else node.meta.column, str(word or ""), *parts)


def read_by_reference(text: str) -> tuple[Any, ...] | int:
    """The tree, or the column of what does not belong."""
    try:
        return as_rows(reference().parse(text))
    except UnexpectedCharacters as error:
        return error.column
    except UnexpectedInput as error:
        return len(text) + 1 if getattr(getattr(error, "token", ""), "type", "") == "$END" else error.column


def read(text: str) -> tuple[Any, ...] | int:
    try:
        return as_rows(parse(text))
    except FormulaError as error:
        return error.column


@settings(max_examples=300)
@given(formulas, st.integers(0, 40))
def test_a_formula_groups_as_the_grammar_says_and_one_that_lacks_a_sign_is_refused_there(text: str, gap: int) -> None:
    assert read(text) == read_by_reference(text)
    assert isinstance(read(text), tuple)
    lacking = text[:gap] + text[gap + 1 :]
    assume("!=" not in lacking)  # the reference takes it for "!" and a stray "=" where it does not belong
    assert read(lacking) == read_by_reference(lacking)


@settings(max_examples=300)
@given(st.lists(words, max_size=14).map("".join))
def test_what_is_no_formula_is_refused_at_the_same_place(text: str) -> None:
    assert read(text) == read_by_reference(text)


def test_what_is_too_long_or_too_deep_is_refused_and_what_is_not_is_read() -> None:
    nested = "(" * DEEPEST + "a" + ")" * DEEPEST
    assert parse(nested).does == "name"
    for text in (f"({nested})", "f(" * 400, "a" * (LONGEST + 1)):
        with pytest.raises(FormulaError, match=r"nested too deeply|characters"):
            parse(text)
