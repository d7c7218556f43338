"""The one exception that carries a sentence for the user."""


class Trouble(Exception):
    """Something the user can cause or mend.

    The message is one sentence or two: what happened, what was kept, what to do.
    """


class Doubtful(Trouble):
    """Something that can't be right was brought; it is asked about, and taken when it is said again."""
