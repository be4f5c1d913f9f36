"""What can be wrong with a file as a whole."""

__all__ = ["UnusableFile"]


class UnusableFile(ValueError):
    """The file can't be used at all. The message is one sentence that says why and what helps."""
