"""What the text of a formula says, as a tree: GLSL expressions of floats, vectors and conditions.

Precedence and grouping: the GLSL 3.30 specification, section 5.1.
"""

from __future__ import annotations

import functools
import re
from collections.abc import Iterator

from msgspec import Struct

from soft_lantern.errors import BadValue

LONGEST, DEEPEST = 1000, 60
"""Characters, and brackets within brackets."""
_NUMBER = re.compile(r"(\d+\.\d*|\.\d+|\d+)([eE][+-]?\d+)?[fF]?")
_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")
_SIGN = re.compile(r"\|\||&&|[=!<>]=|[-+*/<>!?:.,()]")
_SPACE = re.compile(r"\s*")

# How tightly the signs between two parts bind, and what they do.
_BETWEEN = {
    "||": (1, "or_"),
    "&&": (2, "and_"),
    "==": (3, "equal"),
    "!=": (3, "unequal"),
    "<": (4, "less"),
    ">": (4, "greater"),
    "<=": (4, "at_most"),
    ">=": (4, "at_least"),
    "+": (5, "add"),
    "-": (5, "subtract"),
    "*": (6, "multiply"),
    "/": (6, "divide"),
}
_BEFORE = {"-": "negate", "+": "", "!": "not_"}


class FormulaError(BadValue):
    """What is wrong with a formula, and in which column, counted from 1."""

    def __init__(self, words: str, column: int) -> None:
        super().__init__(f"column {column}: {words}")
        self.column = column


class Term(Struct, frozen=True):
    """A part of a formula: what it does, and to which parts.

    `does`: what a sign does, such as "add"; or "number", "name", "call" or "part" (components by their letters), with
    the `word` that says which. `column`: where the word stands, else where the part begins, counted from 1.
    """

    does: str
    column: int
    parts: tuple[Term, ...] = ()
    word: str = ""

    def names(self) -> Iterator[Term]:
        """The free names in it, from left to right."""
        left = [self]
        while left:
            term = left.pop()
            if term.does == "name":
                yield term
            left += reversed(term.parts)


@functools.lru_cache(maxsize=2048)
def parse(text: str) -> Term:
    """The formula as a tree. Raises FormulaError."""
    if len(text) > LONGEST:
        raise FormulaError(f"a formula has at most {LONGEST} characters", LONGEST)
    return _Reader(text).whole()


class _Reader:
    """Reads a text from left to right; `at` is how far it has come."""

    def __init__(self, text: str) -> None:
        self.text, self.at, self.depth = text, 0, 0

    def whole(self) -> Term:
        found = self.choice()
        if self.column() <= len(self.text):
            raise self.wrong()
        return found

    def choice(self) -> Term:
        """`condition ? yes : no`, or what is no choice."""
        column = self.column()
        condition = self.joined(0)
        if not self.take("?"):
            return condition
        yes = self.choice()
        self.expect(":")
        return Term("choose", column, (condition, yes, self.choice()))

    def joined(self, loosest: int) -> Term:
        """Parts with signs between them that bind more tightly than `loosest`; of equals the left ones first."""
        column, left = self.column(), self.signed()
        while True:
            tightness, does = _BETWEEN.get(self.ahead(_SIGN), (0, ""))
            if tightness <= loosest:
                return left
            self.word(_SIGN)
            left = Term(does, column, (left, self.joined(tightness)))

    def signed(self) -> Term:
        """One part with the signs before it."""
        before = []
        while self.ahead(_SIGN) in _BEFORE:
            column = self.column()
            before.append((_BEFORE[self.word(_SIGN)], column))
        found = self.one()
        for does, column in reversed(before):
            found = Term(does, column, (found,)) if does else found
        return found

    def one(self) -> Term:
        """A number, a name, a call or what stands in brackets, and the components taken of it."""
        column = self.column()
        if number := self.word(_NUMBER):
            found = Term("number", column, (), number)
        elif name := self.word(_NAME):
            called = self.ahead(_SIGN) == "("
            found = Term("call" if called else "name", column, self.bracketed() if called else (), name)
        else:
            (found,) = self.bracketed(once=True)
        while self.take("."):
            column, letters = self.column(), self.word(_NAME)
            if not letters:
                raise self.wrong()
            found = Term("part", column, (found,), letters)
        return found

    def bracketed(self, *, once: bool = False) -> tuple[Term, ...]:
        """What stands in brackets: one part, or several with commas between."""
        column = self.column()
        self.expect("(")
        self.depth += 1
        if self.depth > DEEPEST:
            raise FormulaError("nested too deeply", column)
        found = [self.choice()]
        while not once and self.take(","):
            found.append(self.choice())
        self.expect(")")
        self.depth -= 1
        return tuple(found)

    # Words

    def column(self) -> int:
        """The column, counted from 1, of what stands next."""
        self.at = _SPACE.match(self.text, self.at).end()  # type: ignore[union-attr]  # it matches anywhere
        return self.at + 1

    def ahead(self, pattern: re.Pattern[str]) -> str:
        """What stands next, where it is of that kind; else nothing."""
        found = pattern.match(self.text, self.column() - 1)
        return found[0] if found else ""

    def word(self, pattern: re.Pattern[str]) -> str:
        """The same, and goes past it."""
        found = self.ahead(pattern)
        self.at += len(found)
        return found

    def take(self, sign: str) -> bool:
        """Go past a sign, if it stands next; whether it does."""
        stands = self.ahead(_SIGN) == sign
        self.at += len(sign) if stands else 0
        return stands

    def expect(self, sign: str) -> None:
        """Go past a sign. Raises FormulaError where it does not stand next."""
        if not self.take(sign):
            raise self.wrong()

    def wrong(self) -> FormulaError:
        """What stands next does not belong there."""
        column = self.column()
        if column > len(self.text):
            return FormulaError("something is missing at the end", column)
        word = self.ahead(_NUMBER) or self.ahead(_NAME) or self.ahead(_SIGN) or self.text[self.at]
        return FormulaError(f"“{word}” does not belong here", column)
