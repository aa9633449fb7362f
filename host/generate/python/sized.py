

_OPENING = START


def stuff(content: bytes) -> bytes:
    """Content between sync (or start) and end bytes."""
    return START + content + END


class _Finder(_Scanned):
    """Frames whose size is known from their first bytes, or is always the same."""

    def _open(self):
        self._state = "open"

    def _read(self):
        head = len(START) + _LENGTH_END
        if len(self._window) < head:
            return None
        size = _content_size(self._window[len(START):])
        if size == 0 or size > MAX_CONTENT:
            return self._fail(head, "too_long" if size else "malformed")
        total = len(START) + size + len(END)
        if len(self._window) < total:
            return None
        if self._window[total - len(END):total] != END:
            return self._fail(total, "malformed")
        return self._end_with(total, self._window[len(START):len(START) + size])


def _content_size(content):
    """0: no sender produces these bytes."""
    for name, byte, bit, bits, big, _ in _HEADER:
        if name == "length" and FRAMING == "length":
            length = _take_bits(content, byte, bit, bits, big) - _LENGTH_MORE
            return HEADER_SIZE + length + CHECK_SIZE if length >= 0 else 0
    return MAX_CONTENT
