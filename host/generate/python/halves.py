# --- bytes as two characters


class _Side:
    """One way to join the characters: its finder, the next character to join, and the bytes that nothing accounts for yet."""

    def __init__(self, read):
        self.finder, self.read, self.pending = _Finder(), read, 0

    def beginning(self):
        return self.read - 2 * self.pending


class _Halves:
    """Finds frames in characters that are halves of bytes; like a finder, but judge(content) says why a content is no frame, or None.
    The lead's bytes are the stream's. Once one of its candidates fails, the characters are joined the other way as well, from the
    second of that candidate on, and what is complete first and passes is the frame."""

    def __init__(self, judge):
        self._judge, self._kept, self.content = judge, bytearray(), bytearray()
        self._begin(0)

    def _begin(self, count):
        """Behind the oldest characters all begins anew."""
        del self._kept[:count]
        self._lead, self._other, self._failures = _Side(0), None, []  # a failure: where it ended, and the event

    def kept(self):
        return len(self._kept)

    def take(self, character):
        self._kept.append(character & 15)
        yield from self._read_on()

    def _read_on(self):
        """Reads the side that is behind, until no whole byte is left."""
        while True:
            side = min((self._lead, self._other), key=lambda each: each.read) if self._other else self._lead
            if side.read + 2 > len(self._kept):
                return
            halves = self._kept[side.read:side.read + 2]
            byte = halves[0] << 4 | halves[1] if HALVES == "high" else halves[1] << 4 | halves[0]
            side.read += 2
            side.pending += 1
            yield from self._events(side, side.finder.take(byte))

    def _events(self, side, events):
        for event in events:
            size, why = side.pending - side.finder.kept(), event
            if event == "content":
                why = self._judge(bytes(side.finder.content))
                if why is not None:
                    side.finder.reject()
            side.pending = side.finder.kept()
            if why is None:
                yield from self._accept(side, size)
                return
            if side is self._lead:
                self._failures.append([side.beginning(), why])
                self._other = self._other or _Side(1)
        while self._failures and self._other.beginning() >= self._failures[0][0]:
            yield self._tell(self._failures[0][0])

    def _tell(self, count):
        """Accounts for the oldest characters, as what failed there, or else as noise; not beyond the first failure."""
        event = self._failures[0][1] if self._failures else "noise"
        count = min(count, self._failures[0][0]) if self._failures else count
        del self._kept[:count]
        for side in (self._lead, self._other):
            if side:
                side.read -= count
        self._failures = [[end - count, why] for end, why in self._failures if end > count]
        return event

    def _accept(self, side, size):
        """A side's content is a frame: what lies before it is told first."""
        while side.beginning() > 2 * size:
            yield self._tell(side.beginning() - 2 * size)
        self.content = side.finder.content
        self._begin(side.beginning())
        yield "content"

    def pause(self):
        """Ends or abandons what is open, of the side that begins first before the other."""
        while self._kept:
            for side in sorted((self._lead, self._other), key=_Side.beginning) if self._other else (self._lead,):
                events = iter(side.finder.cut())
                first = next(events, None)
                if first is not None:
                    yield from self._events(side, itertools.chain((first,), events))
                    yield from self._read_on()
                    break
            else:
                yield self._tell(len(self._kept))
        self._begin(0)


def _halved(wire: bytes) -> bytes:
    """Each byte as two characters."""
    return bytes(half for byte in wire for half in ((byte >> 4, byte & 15) if HALVES == "high" else (byte & 15, byte >> 4)))
