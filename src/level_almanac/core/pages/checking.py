"""Whether pages are right."""

from level_almanac.core.book import Book
from level_almanac.core.pages.report import CheckedPage
from level_almanac.core.pages.running import PageRun, page_command, run_page
from level_almanac.errors import AlmanacError
from level_almanac.files.page_reading import read_page


def checked_page(book: Book, name: str) -> CheckedPage:
    """Return whether a page is right: it is read, filled in with its default answers, and run."""
    how = "its file"
    try:
        page = read_page(book.file.root, name)
        open_questions = [
            key for key, question in page.file.ask.items() if not question.default and not question.optional
        ]
        if open_questions:
            page_command(page, {})
            return CheckedPage(name, (), f"its file and options; it asks for {', '.join(open_questions)}")
        how = "run by its default answers"
        made = run_page(book, page, PageRun())
    except AlmanacError as error:
        return CheckedPage(name, tuple(str(each) for each in error.mistakes), how)
    return CheckedPage(name, (), how, len(made.table.rows))
