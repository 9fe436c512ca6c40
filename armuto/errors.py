"""The one error the core raises for what a person can mend: bad input, said in one sentence."""


class BadInput(ValueError):
    """Input that cannot be used. The message is one sentence: which file, where, and what to do."""
