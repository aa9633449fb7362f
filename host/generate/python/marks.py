

_END_OPENS = not START or (START == END and len(START) == 1)
_OPENING = END if _END_OPENS else START
_SPECIAL = set() if PLAIN else {ESCAPE} if DOUBLED else {ESCAPE, *START, *END}


def stuff(content: bytes) -> bytes:
    """Content between start and end marks, whose bytes it never contains unescaped."""
    out = bytearray(START)
    size = len(content) - CHECK_BEHIND
    for byte in content[:size]:
        out += bytes([ESCAPE, byte if DOUBLED else byte ^ ESCAPE_XOR] if byte in _SPECIAL else [byte])
    return bytes(out + END + content[size:])


class _Finder(_Scanned):
    """Content between marks."""

    def _reset(self):
        self._state = "seeking"
        if _END_OPENS:
            self._open()

    def _open(self):
        self._state, self._seen, self.content = "open", 0 if _END_OPENS else len(START), bytearray()

    def _let_go(self):
        if self._state == "consumed":
            super()._let_go()
            self._reset()

    def _seek(self):
        event = super()._seek()
        if event is None and self._state == "open" and _END_OPENS:  # the mark that opens is idle
            if len(self._window) < len(END) + CHECK_BEHIND:
                self._state = "seeking"
                return None
            del self._window[:len(END) + CHECK_BEHIND]
            return "idle"
        return event

    def _fail(self, extent, event):
        super()._fail(extent, event)
        size = len(END) + CHECK_BEHIND
        if _END_OPENS and event != "timed_out" and self._window.startswith(END) and len(self._window) >= size:
            del self._window[:size]  # the mark ends with what failed
            self._open()
        return event

    def _read(self):
        event = None
        while event is None and self._seen < len(self._window):
            byte, ahead = self._window[self._seen], self._window[self._seen + 1:self._seen + 2]
            found = bytes(self._window[self._seen:self._seen + len(END)]) if PLAIN else b""
            if PLAIN and END.startswith(found):  # the end mark, or what may become one
                return self._read_end()
            if byte not in _SPECIAL:
                event = self._add(byte, 1)
            elif byte == ESCAPE and not ahead:
                return None
            elif byte == ESCAPE and DOUBLED and ahead[0] == ESCAPE:
                event = self._add(byte, 2)
            elif byte == ESCAPE and not DOUBLED:
                meant = ahead[0] ^ ESCAPE_XOR
                event = self._add(meant, 2) if meant in _SPECIAL else self._fail(self._seen + 2, "malformed")
            else:
                return self._read_end()
        return event

    def _read_end(self):
        found = self._window[self._seen:self._seen + len(END)]
        for i, byte in enumerate(found):
            if byte != END[i]:
                return self._fail(self._seen + i + 1, "malformed")
        if len(found) < len(END):
            return None
        if _END_OPENS and not self.content:
            self._end_with(self._seen + len(END), self.content)
            return "idle"
        behind = self._window[self._seen + len(END):self._seen + len(END) + CHECK_BEHIND]
        if len(behind) < CHECK_BEHIND:
            return None
        return self._end_with(self._seen + len(END) + CHECK_BEHIND, self.content + behind)

    def _add(self, byte, size):
        self._seen += size
        if len(self.content) + CHECK_BEHIND >= MAX_CONTENT:
            return self._fail(self._seen, "too_long")
        self.content.append(byte)
        return None
