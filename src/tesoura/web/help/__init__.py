"""The documentation, as pages: by task, found from the pages that it tells of."""
