# --- framing: silence


def stuff(content: bytes) -> bytes:
    """The content as it is; leave silence after it."""
    return bytes(content)


class _Finder:
    """Content that ends when the line falls silent: pause()."""

    def __init__(self):
        self.content, self._state = bytearray(), "empty"

    def kept(self):
        return 0

    def reject(self):
        """Only silence opens a candidate: no other can begin inside this one."""

    def take(self, byte):
        if self._state == "skip":
            return ("noise",)
        if self._state == "empty":
            self.content, self._state = bytearray(), "data"
        if len(self.content) == MAX_CONTENT:
            self._state = "skip"
            return ("too_long",)
        self.content.append(byte)
        return ()

    def cut(self):
        state, self._state = self._state, "empty"
        return ("content",) if state == "data" else ()

    pause = cut
