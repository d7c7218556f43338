"""The one exception that carries a sentence for the user."""


def one_line(text: str) -> str:
    """Text fit for a terminal and a label: one line, no control characters, no change of direction.

    What a file or an instrument says may hold either, and is told of in sentences.
    """
    if text.isprintable():
        return text
    return " ".join("".join(c if c.isprintable() else " " for c in text).split())


class UserError(Exception):
    """Something the user can cause or mend.

    The message is one sentence or two: what happened, what was kept, what to do.
    """

    def __str__(self) -> str:
        return one_line(super().__str__())


class Doubtful(UserError):
    """Something that can't be right was brought; it is asked about, and taken when it is said again."""
