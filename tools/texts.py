"""Every text of the window as a `.ts` file for who translates it: python tools/texts.py FILE."""

import ast
import sys
from collections.abc import Iterator
from pathlib import Path
from xml.etree import ElementTree

from tensimeter.core.measurement.conformity import Verdict
from tensimeter.core.procedure.stages import STAGES

ROOT = Path(__file__).resolve().parent.parent
#: What takes a text that is translated.
_TAKE = ("tr", "label")
UI = ROOT / "src" / "tensimeter" / "ui"


def texts() -> dict[str, list[str]]:
    """By module the texts that are handed to the translation, in the order in which they stand."""
    found: dict[str, list[str]] = {}
    for path in sorted(UI.rglob("*.py")):
        nodes = list(ast.walk(ast.parse(path.read_text(encoding="utf-8"))))
        own = [n.args[0] for n in nodes if isinstance(n, ast.Call) and getattr(n.func, "id", "") in _TAKE]
        own += [text for n in nodes for text in _named_words(n)]
        texts = [n for n in own if isinstance(n, ast.Constant) and isinstance(n.value, str)]
        texts.sort(key=lambda n: (n.lineno, n.col_offset))
        if texts:
            module = ".".join(path.relative_to(UI).with_suffix("").parts)
            found[module] = list(dict.fromkeys(n.value for n in texts if _is_text(n.value)))
    # Words of the core that the window says in its own language.
    found["core"] = [*(v.words for v in Verdict), *(s.name for s in STAGES)]
    return found


def _named_words(node: ast.AST) -> Iterator[ast.expr]:
    """Texts on their way to a label or a button: what is called `words`, alone or at the head of each row."""
    if isinstance(node, ast.Assign) and _is_words(node.targets[0]):
        yield node.value.elts[0] if isinstance(node.value, ast.Tuple) else node.value
    if isinstance(node, ast.Assign | ast.AnnAssign) and isinstance(node.value, ast.Tuple):
        rows = [row for row in node.value.elts if isinstance(row, ast.Tuple)]
        yield from (x for row in rows for x in row.elts if isinstance(x, ast.Constant) and _reads(x.value))
    if isinstance(node, ast.For) and _is_words(node.target) and isinstance(node.iter, ast.Tuple):
        for row in node.iter.elts:
            yield row.elts[0] if isinstance(row, ast.Tuple) else row


def _reads(value: object) -> bool:
    """Whether a cell of a table in the code is there to be read: a key is one small word."""
    return isinstance(value, str) and (value[:1].isupper() or " " in value)


def _is_text(text: str) -> bool:
    """More than a unit or a dash."""
    return sum(letter.isalpha() for letter in text) > 1


def _is_words(target: ast.expr) -> bool:
    first = target.elts[0] if isinstance(target, ast.Tuple) else target
    return isinstance(first, ast.Name) and first.id == "words"


def main(path: Path) -> None:
    root = ElementTree.Element("TS", version="2.1", sourcelanguage="en")
    for module, sources in texts().items():
        context = ElementTree.SubElement(root, "context")
        ElementTree.SubElement(context, "name").text = module
        for source in sources:
            message = ElementTree.SubElement(context, "message")
            ElementTree.SubElement(message, "source").text = source
            ElementTree.SubElement(message, "translation", type="unfinished")
    ElementTree.indent(root)
    text = ElementTree.tostring(root, encoding="unicode")
    path.write_text(f'<?xml version="1.0" encoding="utf-8"?>\n<!DOCTYPE TS>\n{text}\n', encoding="utf-8")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
