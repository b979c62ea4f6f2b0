"""The error tree. Each error carries an operator's sentence and what to do about it.

NibbleError
├── UnreadableFile      the bytes are not a picture Nibble can read
│   ├── MislabelledFile    the name says one thing, the bytes another
│   └── FileTooLarge       more pixels or bytes than fit the bench
├── NothingToTrace      a picture without anything in it that could be traced
├── NothingToCut        production lines that leave nothing
├── DoesNotFit          the piece is larger than the stock or the machine
├── InvalidTicket       a ticket, change or option that cannot be taken
├── CannotMake          a line that its machine has no way to make
├── FileDisagrees       a written file, read back, is not what was meant
└── Cancelled           the work was stopped
    └── Superseded          newer work took its place
"""


class NibbleError(Exception):
    """Base of all errors an operator may see: ``message`` says what is wrong, ``what_to_do`` the way out."""

    code = "nibble"

    def __init__(self, message: str, what_to_do: str = "", *, where: str = "") -> None:
        super().__init__(message)
        self.message = message
        self.what_to_do = what_to_do
        self.where = where

    @property
    def sentence(self) -> str:
        """Both halves on one line, as the command line prints them."""
        return " ".join(f"{self.message} {self.what_to_do}".split())


class UnreadableFile(NibbleError):
    code = "unreadable"


class MislabelledFile(UnreadableFile):
    code = "mislabelled"


class FileTooLarge(UnreadableFile):
    code = "too-large"


class NothingToTrace(NibbleError):
    code = "nothing-to-trace"


class NothingToCut(NibbleError):
    code = "nothing-to-cut"


class DoesNotFit(NibbleError):
    code = "does-not-fit"


class InvalidTicket(NibbleError):
    code = "invalid-ticket"


class CannotMake(NibbleError):
    code = "cannot-make"


class FileDisagrees(NibbleError):
    code = "file-disagrees"


class Cancelled(NibbleError):
    code = "cancelled"


class Superseded(Cancelled):
    code = "superseded"
