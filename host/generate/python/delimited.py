# --- framing: delimiters


class _Delimited:
    """Content between delimiters. take() says how bytes ended: as content, malformed, too_long, noise or idle; pause() also timed_out.
    With LEAD a delimiter that closed no frame may open one, and is kept."""

    def __init__(self):
        self.content, self._state, self._kept, self._open = bytearray(), "empty", 0, 0

    def kept(self):
        return self._kept

    def reject(self):
        self._kept = int(LEAD)

    def take(self, byte):
        opened, self._kept = self._kept, 0
        if byte == _DELIMITER:
            event = self._end(opened)
        elif self._state == "skip":
            event = "noise"
        else:
            if self._state == "empty":
                self.content = bytearray()
            event = self._take(byte)
            if event:
                self._state = "skip"
        return (event,) if event else ()

    def _end(self, opened):
        state, self._state = self._state, "empty"
        if state in ("empty", "skip"):
            if not LEAD:
                return "idle"
            self._kept = 1
            return "idle" if opened else None
        if self._is_whole(state):
            return "content"
        self._kept = int(LEAD)
        return "malformed"

    def _append(self, byte):
        if len(self.content) == MAX_CONTENT:
            return "too_long"
        self.content.append(byte)
        return None

    def cut(self):
        """Ends or abandons what is open; one step of pause()."""
        state, self._state, opened, self._kept = self._state, "empty", self._kept, 0
        if state in ("empty", "skip"):
            return ("idle",) if opened else ()
        return ("timed_out",)

    pause = cut
