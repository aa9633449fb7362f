

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


def _end_at(data):
    """The size of the end mark with which data begins; None: there may be one with more bytes; 0: there is none."""
    for end in sorted(ENDS, key=len):
        if data.startswith(end):
            return len(end)
    return None if any(end.startswith(bytes(data[:len(end)])) for end in ENDS) else 0


def _end_place(content):
    """Whether the end mark behind this content ends a frame: "anywhere" it stands, "later", or only "here", for the message of
    either side that the first bytes tell."""
    places, roles, payload = set(), {}, content[HEADER_SIZE:]
    for name, byte, bit, bits, big, _ in _HEADER:
        if name == "id" and byte + (bit + bits + 7) // 8 > len(content):
            return "anywhere"
        if name == "id":
            roles["id"] = _take_bits(content, byte, bit, bits, big)
    if "id" not in roles and len(content) < HEADER_SIZE:
        return "anywhere"
    for side in ("device", "host"):
        kind = _told(roles, payload, side)
        if kind is not None:
            end = kind.BEFORE_END
            places.add("anywhere" if end is None or len(content) > end else "here" if len(content) == end else "later")
    return places.pop() if len(places) == 1 else "anywhere"


class _Finder(_Scanned):
    """Content between marks."""

    _mark = b""  # the end mark that was just used up: what is left of a longer one is idle

    def _step(self):
        self._let_go()
        rests = [end[len(self._mark):] for end in ENDS if self._mark and end != self._mark and end.startswith(self._mark)]
        if self._mark and self._window:
            for rest in rests:
                if self._window.startswith(rest):
                    del self._window[:len(rest)]
                    self._mark = b""
                    return "idle"
            if any(rest.startswith(self._window) for rest in rests):
                return None
            self._mark = b""
        return super()._step()

    def _reset(self):
        self._state, self._mark = "seeking", b""
        if _END_OPENS:
            self._open()

    def _open(self):
        self._state, self._seen, self.content = "open", 0 if _END_OPENS else len(START), bytearray()

    def _let_go(self):
        if self._state == "consumed":
            mark = self._mark
            super()._let_go()
            self._reset()
            self._mark = mark

    def _seek(self):
        if not _END_OPENS:
            return super()._seek()
        noise = False
        while self._window and _end_at(self._window) == 0:
            del self._window[0]
            noise = True
        if noise:
            return "noise"
        size = _end_at(self._window) if self._window else None
        if size is None or len(self._window) < size + CHECK_BEHIND:
            return None
        self._mark = bytes(self._window[:size])
        del self._window[:size + CHECK_BEHIND]
        self._open()
        return "idle"

    def _fail(self, extent, event):
        if not _END_OPENS:
            return super()._fail(extent, event)
        at, self._consumed, self._state, self._mark = 1, 0, "seeking", b""
        while at < extent and _end_at(self._window[at:extent]) == 0:
            at += 1
        del self._window[:at]
        examined = self._window[:extent - at]
        size = _end_at(examined) if examined else None
        if event != "timed_out" and size and len(examined) >= size + CHECK_BEHIND:
            self._mark = bytes(self._window[:size])
            del self._window[:size + CHECK_BEHIND]  # the mark ends with what failed
            self._open()
        return event

    def _read(self):
        event = None
        while event is None and self._seen < len(self._window):
            byte, ahead = self._window[self._seen], self._window[self._seen + 1:self._seen + 2]
            size = _end_at(self._window[self._seen:]) if PLAIN else 0
            place = _end_place(self.content) if PLAIN and FIXED_ENDS else "anywhere"
            if place == "later":
                size = 0
            elif size == 0 and place == "here":
                return self._fail(self._seen + 1, "malformed")
            if size is None:  # it may become one
                return None
            if size:
                return self._close(size)
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
        return self._close(len(END))

    def _close(self, size):
        mark = bytes(self._window[self._seen:self._seen + size])
        if _END_OPENS and not self.content:
            self._end_with(self._seen + size, self.content)
            self._mark = mark
            return "idle"
        behind = self._window[self._seen + size:self._seen + size + CHECK_BEHIND]
        if len(behind) < CHECK_BEHIND:
            return None
        self._mark = mark
        return self._end_with(self._seen + size + CHECK_BEHIND, self.content + behind)

    def _add(self, byte, size):
        self._seen += size
        if len(self.content) + CHECK_BEHIND >= MAX_CONTENT:
            return self._fail(self._seen, "too_long")
        self.content.append(byte)
        return None
