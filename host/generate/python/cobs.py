

_DELIMITER = 0


def stuff(content: bytes) -> bytes:
    """Consistent Overhead Byte Stuffing, delimiters included."""
    out, block, is_open = bytearray([0] if LEAD else []), bytearray(), True
    for byte in content:
        is_open = True
        if byte:
            block.append(byte)
        if byte and len(block) < 254:
            continue
        out.append(len(block) + 1)
        out += block
        block.clear()
        is_open = not byte  # after a full block the next one opens only if there is more
    if is_open:
        out.append(len(block) + 1)
        out += block
    out.append(0)
    return bytes(out)


class _Finder(_Delimited):
    """Consistent Overhead Byte Stuffing; the state is "code" where a code byte or the end may come, else "data"."""

    def _is_whole(self, state):
        return state == "code"

    def _take(self, byte):
        if self._state == "data":
            event = self._append(byte)
            self._left -= 1
        else:
            event = self._append(0) if self._state == "code" and self._code < 255 else None
            self._code, self._left = byte, byte - 1
        self._state = "data" if self._left else "code"
        return event
