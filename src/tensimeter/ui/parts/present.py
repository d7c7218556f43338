"""What Qt promises to be there although its types do not."""

from typing import TypeVar

T = TypeVar("T")


def present(found: T | None) -> T:
    """The thing itself; AssertionError where Qt broke its promise."""
    assert found is not None
    return found
