

_DELIMITER, _ESCAPE = (0x7E, 0x7D) if FRAMING == "hdlc" else (0xC0, 0xDB)
_IMAGES = {0x7E: 0x5E, 0x7D: 0x5D} if FRAMING == "hdlc" else {0xC0: 0xDC, 0xDB: 0xDD}
if ESCAPE_CONTROL:
    _IMAGES.update((byte, byte ^ 0x20) for byte in range(0x20))
_MEANINGS = {byte ^ 0x20: byte for byte in range(256)} if FRAMING == "hdlc" else {0xDC: 0xC0, 0xDD: 0xDB}


def stuff(content: bytes) -> bytes:
    """Content with escapes, delimiters included."""
    out = bytearray([_DELIMITER] if LEAD else [])
    for byte in content:
        out += bytes([_ESCAPE, _IMAGES[byte]] if byte in _IMAGES else [byte])
    out.append(_DELIMITER)
    return bytes(out)


class _Finder(_Delimited):
    """Escapes; the state is "data" where the end may come, "escaped" after an escape."""

    def _is_whole(self, state):
        return state == "data"

    def _take(self, byte):
        state, self._state = self._state, "data"
        if state == "escaped":
            return self._append(_MEANINGS[byte]) if byte in _MEANINGS else "malformed"
        if byte == _ESCAPE:
            self._state = "escaped"
            return None
        return self._append(byte)
