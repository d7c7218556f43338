"""How many small mistakes in the core its tests would notice: mutation testing of a seeded sample.

    python tools/mutants.py [--files GLOB …] [--count 60] [--seed 1] [--again]

Which tests reach a line is measured once (coverage, one context a test) and kept in `.mutants/`; a mutant is
tried with those tests alone, in a copy of the tree. Printed: the score of each room, and what survived.
"""

import argparse
import ast
import json
import random
import shutil
import subprocess
import sys
from collections import Counter, defaultdict
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import Queue

ROOT = Path(__file__).resolve().parent.parent
CORE = ROOT / "src" / "tensimeter" / "core"
KEPT = ROOT / ".mutants"
ROOMS = ("rating", "procedure", "testplan", "electrical", "thermal", "heatup", "analysis", "measurement")
#: A mutant is tried with so many tests at the most, and each try takes so long, s.
MOST_TESTS, MOST_S = 20, 90
#: Operators whose mutants say something of the sums and decisions of this code.
OPERATORS = (
    *[f"core/ReplaceBinaryOperator_{a}_{b}" for a, b in (
        ("Add", "Sub"), ("Sub", "Add"), ("Mul", "Div"), ("Div", "Mul"), ("Pow", "Mul"), ("Mod", "Mul"),
        ("BitAnd", "BitOr"), ("BitOr", "BitAnd"),
    )],
    *[f"core/ReplaceComparisonOperator_{a}_{b}" for a, b in (
        ("Lt", "LtE"), ("Lt", "GtE"), ("LtE", "Lt"), ("LtE", "Gt"), ("Gt", "GtE"), ("Gt", "LtE"),
        ("GtE", "Gt"), ("GtE", "Lt"), ("Eq", "NotEq"), ("NotEq", "Eq"), ("Is", "IsNot"), ("IsNot", "Is"),
    )],
    "core/ReplaceUnaryOperator_USub_UAdd", "core/ReplaceUnaryOperator_Delete_Not", "core/AddNot",
    "core/ReplaceTrueWithFalse", "core/ReplaceFalseWithTrue", "core/ReplaceAndWithOr",
    "core/ReplaceOrWithAnd", "core/ReplaceBreakWithContinue", "core/ReplaceContinueWithBreak",
    "core/NumberReplacer", "core/ZeroIterationForLoop",
)  # fmt: skip


@dataclass(frozen=True)
class Mutant:
    """One small mistake: where it is made and which."""

    path: Path
    operator: str
    occurrence: int
    line: int
    column: int

    @property
    def key(self) -> str:
        return f"{self.path.relative_to(CORE)} {self.operator} {self.occurrence}"

    @property
    def name(self) -> str:
        return (
            f"{self.path.relative_to(CORE)}:{self.line}:{self.column} {self.operator.removeprefix('core/')}"
        )


def _words_only(source: str) -> list[tuple[tuple[int, int], tuple[int, int]]]:
    """Where nothing is computed: annotations, how many digits a text shows, what only a type asks for."""
    found = []
    for node in ast.walk(ast.parse(source)):
        shown: list[ast.AST] = []
        if isinstance(node, ast.AnnAssign | ast.arg) and node.annotation is not None:
            shown.append(node.annotation)
        if isinstance(node, ast.FunctionDef) and node.returns is not None:
            shown.append(node.returns)
        if isinstance(node, ast.Call):
            name = getattr(node.func, "id", getattr(node.func, "attr", ""))
            if name in ("show", "fixed", "lru_cache", "Literal", "isinstance", "with_uncertainty"):
                shown += [*node.args[1:], *node.keywords]
        if isinstance(node, ast.FormattedValue) and node.format_spec is not None:
            shown.append(node.format_spec)
        if isinstance(node, ast.ClassDef):
            # Whether a record is frozen; the figures by which the members of an enumeration are told apart.
            shown += node.decorator_list
            shown += node.body if any("Enum" in ast.unparse(base) for base in node.bases) else []
        if isinstance(node, ast.Assert) or (
            isinstance(node, ast.Assign)
            and isinstance(node.value, ast.BinOp)
            and isinstance(node.value.op, ast.BitOr)
        ):
            shown.append(node)
        found += [((n.lineno, n.col_offset), (n.end_lineno, n.end_col_offset)) for n in shown
                  if hasattr(n, "lineno")]  # fmt: skip
    return found


def mutants_of(path: Path) -> list[Mutant]:
    """Every mutant of a module that changes what is computed."""
    from cosmic_ray.ast import ast_nodes, get_ast
    from cosmic_ray.plugins import get_operator

    source = path.read_text()
    spans, nodes, found = _words_only(source), list(ast_nodes(get_ast(source))), []
    sums = [
        ((n.lineno, n.col_offset), (n.end_lineno or 0, n.end_col_offset or 0))
        for n in ast.walk(ast.parse(source))
        if isinstance(n, ast.BinOp | ast.AugAssign)
    ]
    for name in OPERATORS:
        operator, count = get_operator(name)(), 0
        for node in nodes:
            for start, _ in operator.mutation_positions(node):
                # A star among parameters is no product.
                stands = "BinaryOperator" not in name or any(a <= start < b for a, b in sums)
                if stands and not any(a <= start < b for a, b in spans):
                    found.append(Mutant(path, name, count, start[0], start[1]))
                count += 1
    return found


def covered() -> dict[str, dict[int, list[str]]]:
    """Which tests reach which line of which file of the core; measured once a commit."""
    from coverage import CoverageData

    head = subprocess.run(
        ["git", "rev-parse", "HEAD"], cwd=ROOT, capture_output=True, text=True
    ).stdout.strip()
    data = KEPT / f"coverage-{head[:12]}"
    if not data.exists():
        KEPT.mkdir(exist_ok=True)
        command = [
            sys.executable, "-m", "pytest", "-q", "-n", "2", "tests/core", "tests/cli", "tests/store",
            "--cov=tensimeter.core", "--cov-context=test", "--cov-report=",
        ]  # fmt: skip
        subprocess.run(command, cwd=ROOT, env=_environment(ROOT, {"COVERAGE_FILE": str(data)}), check=False)
    read = CoverageData(str(data))
    read.read()
    reached = {
        str(Path(file).resolve()): {
            line: {c.split("|")[0] for c in contexts if c}
            for line, contexts in read.contexts_by_lineno(file).items()
        }
        for file in read.measured_files()
    }
    # What reaches little is quick, and about the line.
    lines = Counter(test for file in reached.values() for tests in file.values() for test in tests)
    for file, of in reached.items():
        if Path(file).is_relative_to(CORE):
            # A constant is run when its module is loaded, by whichever test came first: those that use the
            # module are meant.
            inside = _in_functions(Path(file).read_text())
            users = {test for line, tests in of.items() if line in inside for test in tests}
            of.update((line, users) for line in of if line not in inside)
    return {
        file: {line: sorted(tests, key=lambda test: (lines[test], test)) for line, tests in of.items()}
        for file, of in reached.items()
    }


def _in_functions(source: str) -> set[int]:
    """The lines that run when something is called."""
    return {
        line
        for node in ast.walk(ast.parse(source))
        if isinstance(node, ast.FunctionDef)
        for statement in node.body
        for line in range(statement.lineno, (statement.end_lineno or 0) + 1)
    }


def _environment(tree: Path, more: dict[str, str] | None = None) -> dict[str, str]:
    import os

    return {**os.environ, "PYTHONPATH": str(tree / "src"), "QT_QPA_PLATFORM": "offscreen",
            "PYTHONDONTWRITEBYTECODE": "1", **(more or {})}  # fmt: skip


def survives(mutant: Mutant, tests: list[str], tree: Path) -> bool:
    """Whether no test notices."""
    from cosmic_ray.mutating import mutate_code
    from cosmic_ray.plugins import get_operator

    if not tests:
        return True
    path = tree / mutant.path.relative_to(ROOT)
    before = path.read_text()
    changed = mutate_code(before, get_operator(mutant.operator)(), mutant.occurrence)
    if changed is None or changed == before:
        return False
    try:
        path.write_text(changed)
        command = [sys.executable, "-m", "pytest", "-q", "-x", "-n", "0", "-p", "no:cacheprovider",
                   "--timeout", str(MOST_S), *tests]  # fmt: skip
        done = subprocess.run(
            command, cwd=tree, env=_environment(tree), capture_output=True, timeout=5 * MOST_S
        )
        return done.returncode == 0
    except subprocess.TimeoutExpired:
        # Each test has its own limit; all of them together being slow notices nothing.
        return True
    finally:
        path.write_text(before)


def _newer_tests() -> list[str]:
    """Test files written since it was measured what reaches what."""
    measured = max((p.stat().st_mtime for p in KEPT.glob("coverage-*")), default=0.0)
    found = (p for p in (ROOT / "tests" / "core").glob("test_*.py") if p.stat().st_mtime > measured)
    return [str(p.relative_to(ROOT)) for p in sorted(found)]


def _sampled(files: list[Path], count: int, seed: int) -> list[Mutant]:
    every = [m for f in sorted(files) for m in mutants_of(f)]
    chance = random.Random(seed)
    # One of a place at most: five mutants of one sign say no more than one.
    chance.shuffle(every)
    seen: set[tuple[Path, int, int]] = set()
    found = []
    for m in every:
        if (m.path, m.line, m.column) not in seen:
            seen.add((m.path, m.line, m.column))
            found.append(m)
    return found[:count]


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--files", nargs="*", default=[])
    parser.add_argument("--count", type=int, default=60)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--workers", type=int, default=2)
    parser.add_argument("--again", action="store_true", help="those that survived, with tests written since")
    asked = parser.parse_args()
    rooms: dict[str, list[Path]] = (
        {" ".join(asked.files): [p for g in asked.files for p in ROOT.glob(g)]}
        if asked.files
        else {room: list((CORE / room).rglob("*.py")) for room in ROOMS}
    )
    reached = covered()
    trees: Queue[Path] = Queue()
    for k in range(asked.workers):
        tree = KEPT / f"tree-{k}"
        shutil.rmtree(tree, ignore_errors=True)
        for part in ("src", "tests"):
            shutil.copytree(ROOT / part, tree / part)
        shutil.copy(ROOT / "pyproject.toml", tree)
        trees.put(tree)

    def tried(mutant: Mutant) -> tuple[Mutant, bool]:
        lines = reached.get(str(mutant.path), {})
        tests = [*newer, *lines.get(mutant.line, [])[:MOST_TESTS]]
        tree = trees.get()
        try:
            return mutant, survives(mutant, tests, tree)
        finally:
            trees.put(tree)

    scores: dict[str, tuple[int, int]] = {}
    left: dict[str, list[Mutant]] = defaultdict(list)
    kept = KEPT / "survivors.json"
    before: dict[str, list[str]] = json.loads(kept.read_text()) if kept.exists() else {}
    newer = _newer_tests() if asked.again else []
    with ThreadPoolExecutor(asked.workers) as pool:
        for room, files in rooms.items():
            sample = _sampled(files, asked.count, asked.seed)
            if asked.again:
                sample = [m for m in sample if m.key in before.get(room, ())]
            results = list(pool.map(tried, sample))
            left[room] = [m for m, alive in results if alive]
            scores[room] = (len(sample) - len(left[room]), len(sample))
            killed, of = scores[room]
            print(f"{room:12} {killed:3} of {of:3} noticed, {100 * killed / max(of, 1):.0f} %", flush=True)
            for m in left[room]:
                line = m.path.read_text().splitlines()[m.line - 1].strip()
                print(f"    {m.name}\n        {line}", flush=True)
            before[room] = [m.key for m in left[room]]
            kept.write_text(json.dumps(before))


if __name__ == "__main__":
    main()
