"""Prints each figure of speed as a ratio to its floor, measured in the same run: make bench."""

from benchmarks import answering, frames, keeping, logs, reaching, soaking, start, waves
from benchmarks.measure import HEAD


def main() -> None:
    print(HEAD)
    for part in (start, reaching, keeping, logs, waves, frames, soaking, answering):
        for row in part.rows():
            print(row.text(), flush=True)


if __name__ == "__main__":
    main()
