"""The one exception that carries a sentence for the user."""


class Trouble(Exception):
    """Something the user can cause or mend.

    The message is one sentence or two: what happened, what was kept, what to do.
    """
