"""The checks of what was just changed: style, types, layers, and the tests nearest to the files touched.

    python tools/quick.py [SECONDS]

Touched is what differs from the last commit, or that commit where nothing does. Tests that import a touched
module come first, then those that import one that does; as many as fit into the time (12 s), by what each
file took when the whole suite ran last.
"""

import ast
import json
import os
import subprocess
import sys
from collections import defaultdict
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
#: What a test file takes that nobody has timed yet, s; and how many run at once.
UNKNOWN_S, WORKERS = 1.5, 2
#: Where the suite leaves what each file took, s of processor.
TIMES = ROOT / ".pytest_cache" / "v" / "tensimeter" / "seconds"


def _lines(*words: str) -> list[str]:
    return subprocess.run(words, cwd=ROOT, capture_output=True, text=True, check=True).stdout.splitlines()


def touched() -> list[str]:
    """Python files that differ from the last commit, or that it changed."""
    found = _lines("git", "diff", "--name-only", "HEAD")
    found += _lines("git", "ls-files", "--others", "--exclude-standard")
    found = found or _lines("git", "diff", "--name-only", "HEAD~1", "HEAD")
    return sorted({f for f in found if f.endswith(".py") and (ROOT / f).exists()})


def _name(path: Path) -> str:
    parts = path.relative_to(ROOT).with_suffix("").parts
    parts = parts[1:] if parts[0] == "src" else parts
    return ".".join(parts[:-1] if parts[-1] == "__init__" else parts)


def _imported(path: Path) -> set[str]:
    """Names of modules that a file imports anywhere in it."""
    found: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found |= {a.name for a in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module and not node.level:
            found |= {node.module, *(f"{node.module}.{a.name}" for a in node.names)}
    return found


def nearest(changed: list[str]) -> list[str]:
    """Test files, those first whose imports reach what was changed by the fewest steps."""
    files = [p for part in ("src", "tests", "benchmarks") for p in (ROOT / part).rglob("*.py")]
    users: dict[str, set[str]] = defaultdict(set)
    where = {_name(p): p for p in files}
    for path in files:
        for name in _imported(path) & where.keys():
            users[name].add(_name(path))
    now = {_name(ROOT / f) for f in changed} & where.keys()
    seen, found = set(now), []
    for _ in range(3):
        tests = {n for n in now if where[n].name.startswith("test_")}
        found += sorted(str(where[n].relative_to(ROOT)) for n in tests)
        now = {u for n in now - tests for u in users[n]} - seen
        seen |= now
    return found


def fitting(tests: list[str], seconds: float) -> list[str]:
    """As many of them as can be run in a time; those that were changed in any case."""
    told: dict[str, float] = json.loads(TIMES.read_text()) if TIMES.exists() else {}
    left, found = WORKERS * seconds, []
    for test in tests:
        takes = told.get(test, UNKNOWN_S)
        if takes <= left:
            found.append(test)
            left -= takes
    return found


def main() -> int:
    changed = touched()
    if not changed:
        print("No Python file was changed.")
        return 0
    bin_ = Path(sys.executable).parent
    checks = [
        [bin_ / "ruff", "check", *changed],
        [bin_ / "ruff", "format", "--check", *changed],
        [bin_ / "mypy"],
        [bin_ / "lint-imports"],
    ]
    for words in checks:
        done = subprocess.run(words, cwd=ROOT, capture_output=True, text=True, check=False)
        if done.returncode:
            print(done.stdout, done.stderr)
            return done.returncode
    near = nearest(changed)
    tests = fitting(near, float(sys.argv[1]) if len(sys.argv) > 1 else 12.0)
    print(
        f"{len(changed)} files touched, {len(tests)} of {len(near)} test files near them; make test has all."
    )
    words = [sys.executable, "-m", "pytest", "-x", *tests]
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    return subprocess.run(words, cwd=ROOT, env=environment, check=False).returncode if tests else 0


if __name__ == "__main__":
    sys.exit(main())
