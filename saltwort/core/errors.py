"""The one exception by which core refuses what a user brought or asked for."""


class BadInput(Exception):
    """Something brought or asked for cannot be used. The message is one sentence for the user that says what to do."""
