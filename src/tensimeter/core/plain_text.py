"""Text that goes into a table or a document of another program, so that it stays text there."""

import re

from tensimeter.core.errors import one_line

#: How a cell begins that a spreadsheet would take for a formula; a stroke before it makes it text.
_FORMULA, _STROKE = ("=", "+", "-", "@", "\t", "\r", "'"), "'"
#: A figure with its unit may begin with its sign: nothing of it is worked out.
_FIGURE = re.compile(r"[-+][ \u2009]?\d[\d.,\u2009 ]*(?:[eE][-+]?\d+)?[\w%°µ/·²³ ]*")
#: What Markdown, and HTML in it, would take for more than text.
_MARKS = re.compile(r"([\\`*_{}\[\]()#+!|~<>&])")


def as_cell(text: str) -> str:
    """A cell as it is written: no text of it becomes a formula.

    >>> as_cell("=1+1"), as_cell("-1"), as_cell("1 - 1")
    ("'=1+1", "'-1", '1 - 1')
    """
    return _STROKE + text if text.startswith(_FORMULA) else text


def as_shown_cell(text: str) -> str:
    """A cell that is copied as it is shown: a figure may begin with its sign.

    >>> as_shown_cell("=1+1"), as_shown_cell("-3.2 V"), as_shown_cell("- donor")
    ("'=1+1", '-3.2 V', "'- donor")
    """
    return text if _FIGURE.fullmatch(text) else as_cell(text)


def as_kept(text: str) -> str:
    """A cell as it was before it was written."""
    return text[1:] if text.startswith(_STROKE) and text[1:].startswith(_FORMULA) else text


def in_markdown(text: str) -> str:
    r"""Text in a document of Markdown: no heading, link, picture or HTML comes of it.

    >>> print(in_markdown("a *b* <img src=x>"))
    a \*b\* \<img src=x\>
    """
    return _MARKS.sub(r"\\\1", one_line(text))
