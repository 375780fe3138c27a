"""How a formula is written, and the mistakes in one.

loft-beam/temperature - terrace-mast/temperature
board/adc-v / 10 kΩ / 2 µA * 1 lx
if(value > 60 %, value * 1.02, value)
"""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from lark import Lark, Token, Tree

LONGEST = 500
DEEPEST = 30

GRAMMAR = r"""
?start: sum
?sum: product | sum "+" product -> add | sum "-" product -> sub
?product: signed | product "*" signed -> mul | product "/" signed -> div
?signed: power | "-" signed -> neg
?power: atom | atom "^" signed -> pow
?atom: NUMBER -> number
    | NUMBER UNIT -> quantity
    | ADDRESS -> source
    | QUOTED -> quoted
    | VALUE -> own
    | "if" "(" either "," sum "," sum ")" -> choice
    | NAME "(" sum ("," sum)* ")" -> call
    | "(" sum ")"
?either: both | either "or" both -> or_
?both: negated | both "and" negated -> and_
?negated: compared | "not" negated -> not_
?compared: sum "<" sum -> lt | sum "<=" sum -> le | sum ">" sum -> gt | sum ">=" sum -> ge
    | "(" either ")"

VALUE.3: /value\b(?!\/)/
ADDRESS.2: /[a-z][a-z0-9]*(-[a-z0-9]+)*\/[a-z0-9]+(-[a-z0-9]+)*/
QUOTED: /"[^"\n]{1,120}"/
NAME: /[a-z][a-z0-9]*/
NUMBER: /\d+(\.\d+)?([eE][+-]?\d+)?/
UNIT: /(?!(?:and|or)\b)(?:[°%‰]|[^\W\d_])[\w°·]*(?:\/[^\W\d_][\w]*)?/
%ignore /\s+/
"""


class FormulaError(ValueError):
    """A mistake in a formula: what, where (the column, from 1), and what to do."""

    def __init__(self, what: str, column: int = 0) -> None:
        super().__init__(f"column {column}: {what}" if column else what)
        self.column = column


@lru_cache(maxsize=1)
def _parser() -> Lark:
    from lark import Lark  # noqa: PLC0415 - only where there is a formula

    return Lark(GRAMMAR, parser="lalr", lexer="contextual", propagate_positions=True)


def parsed(text: str) -> Tree[Token]:
    """The formula as a tree. Raises FormulaError."""
    from lark import exceptions  # noqa: PLC0415

    if not text.strip():
        raise FormulaError("the formula is empty")
    if len(text) > LONGEST:
        raise FormulaError(f"a formula has {LONGEST} characters at most, not {len(text)}")
    deep = most = 0
    for sign in text:
        deep += (sign == "(") - (sign == ")")
        most = max(most, deep)
    if most > DEEPEST or text.count("-") > 8 * DEEPEST or text.count("^") > DEEPEST:
        raise FormulaError(f"a formula is nested {DEEPEST} levels deep at most")
    try:
        return _parser().parse(text)
    except exceptions.UnexpectedEOF as error:
        raise FormulaError("it ends too early", len(text) + 1) from error
    except exceptions.UnexpectedToken as error:
        if error.token.type == "$END":
            raise FormulaError("it ends too early; something is missing", len(text) + 1) from error
        raise FormulaError(f"{str(error.token)!r} does not fit here", error.column) from error
    except exceptions.UnexpectedCharacters as error:
        raise FormulaError(f"{error.char!r} does not fit here", error.column) from error
