"""The exceptions by which core refuses what a user brought or asked for."""


class BadInput(Exception):
    """Something brought or asked for cannot be used. The message is one sentence for the user that says what to do;
    `field` is the one that is wrong, where that is known."""

    def __init__(self, message: str, field: str = "") -> None:
        super().__init__(message)
        self.field = field


class DiskFull(BadInput):
    """There is no room to write what was asked for."""

    def __init__(self, message: str = "The disk is full, so nothing was written. Make room and try again.") -> None:
        super().__init__(message)
