"""The root of Reel's errors and the ones that several rooms raise."""


class ReelError(Exception):
    """The root of every error that Reel raises on purpose; its text is one sentence for people."""


class BadValueError(ReelError, ValueError):
    """Raised when a value that somebody chose lies outside what the thing can take.

    Attributes: `thing` (what was set), `value` (as given), `limit` (what is possible, in words).
    """

    def __init__(self, thing: str, value: object, limit: str) -> None:
        self.thing, self.value, self.limit = thing, value, limit
        super().__init__(f"{thing} can't be {_shown(value)}: {limit}.")


def _shown(value: object) -> str:
    text = "".join(c if c.isprintable() else "�" for c in str(value))
    return f"“{text[:60]}…”" if len(text) > 60 else f"“{text}”"
