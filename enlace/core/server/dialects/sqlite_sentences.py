"""What happened and what to do next, for an SQLite file."""

from ..limits import STATEMENT_SECONDS

SENTENCES = {
    "locked": (
        "Another program holds the database locked.",
        "Wait until it has finished its work, or close it, then try again.",
    ),
    "read-only": (
        "The database file may be read but not written.",
        "Ask whoever owns the file for the right to write it and its folder.",
    ),
    "away": (
        "The database file can't be opened.",
        "Nothing typed is lost. Check that the path is right, that the disk is there and that Enlace may read it.",
    ),
    "not a database": (
        "The file is not an SQLite database.",
        "Check the path: it may be a file of another program, or an encrypted one.",
    ),
    "table gone": (
        "The database no longer has a table or column that this needs.",
        "A builder can look at the connection's tables and make the form anew.",
    ),
    "slow": (
        f"The database took longer than {STATEMENT_SECONDS:.0f} seconds, so the question was stopped.",
        "Try again, or order by a column that has an index.",
    ),
    "too big": ("The value is larger than this database can hold.", "Make it shorter and try again."),
}
