"""What can be wrong with the data folder, each with what to do."""


class DataFolderError(RuntimeError):
    """The data folder cannot be used; the message says why and what to do."""
