# --- framing: bytes that are searched again after a failed candidate


class _Scanned:
    """Candidates after an opening. take() says how bytes ended: as content, malformed, too_long, noise or idle; pause() also
    timed_out."""

    def __init__(self):
        self.content, self._window, self._consumed = bytearray(), bytearray(), 0
        self._reset()

    def _reset(self):
        self._state = "seeking"

    def kept(self):
        return len(self._window) - self._consumed

    def reject(self):
        self._fail(self._consumed, "")

    def take(self, byte):
        self._window.append(byte)
        return self._events()

    def _events(self):
        while True:
            event = self._step()
            if event is None:
                return
            yield event

    def _step(self):
        """The next event, or None if more bytes are needed."""
        self._let_go()
        return (self._seek() if self._state == "seeking" else None) or (self._read() if self._state == "open" else None)

    def _let_go(self):
        if self._state == "consumed":
            del self._window[:self._consumed]
            self._consumed, self._state = 0, "seeking"

    def _seek(self):
        noise = False
        while self._window[:len(_OPENING)] != _OPENING[:len(self._window)]:
            del self._window[0]
            noise = True
        if noise:
            return "noise"
        if len(self._window) >= len(_OPENING):
            self._open()
        return None

    def _fail(self, extent, event):
        """A candidate failed after `extent` bytes: continues at the next opening, or beginning of one, after its first byte."""
        at, self._consumed, self._state = 1, 0, "seeking"
        while at < extent and self._window[at:min(extent, at + len(_OPENING))] != _OPENING[:extent - at]:
            at += 1
        del self._window[:at]
        return event

    def _end_with(self, total, content):
        self.content, self._consumed, self._state = content, total, "consumed"
        return "content"

    def cut(self):
        """Abandons what is open and searches its bytes again; one step of pause()."""
        self._let_go()
        if self._state == "open" and self._window:
            yield self._fail(len(self._window), "timed_out")
        elif self._window:
            self._window.clear()
            yield "noise"
        if not self._window:
            self._reset()
        yield from self._events()
        self._let_go()

    def pause(self):
        self._let_go()
        while self._window:
            yield from self.cut()
        self._reset()
