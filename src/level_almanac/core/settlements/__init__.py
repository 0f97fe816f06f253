"""Lines of documents, and which lines voids and refunds undo. Below `book`, so that conditions can use it."""
