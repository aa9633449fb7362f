class Traffic:
    """This host's part in the service's test traffic: numbered frames whose data both ends know from a seed. `counts` are its own, with
    the names of the device's report."""

    DEVICE_SENDS, HOST_SENDS, NO_END, OWN_SIZES = 1, 2, 0xFFFFFFFF, 0xFFFF

    def __init__(self):
        self.request, self.to, self._left, self._due, self._earlier = None, 0, 0, 0.0, 0
        self._clear()

    def _clear(self):
        self.counts = dict.fromkeys(("expected", "taken", "wrong", "repeated", "skipped", "sent", "refused"), 0)

    @staticmethod
    def data(seed, number, from_device, size, most):
        """The data of a frame."""
        state = seed ^ number * 0x9E3779B1 & 0xFFFFFFFF ^ (0x5851F42D if from_device else 0)
        state = (state ^ state >> 15) * 0x85EBCA77 & 0xFFFFFFFF
        state ^= state >> 13
        length = min((state >> 16) * (most + 1) >> 16 if size == Traffic.OWN_SIZES else size, most)
        kind, data = state & 7, bytearray()
        while len(data) < length:
            state ^= state << 13 & 0xFFFFFFFF
            state ^= state >> 17
            state ^= state << 5 & 0xFFFFFFFF
            data += state.to_bytes(4, "little")
        return bytes(data[:length]) if kind > 1 else bytes((0xFF * kind,)) * length

    def _ask(self, request, to, now):
        if request.count == 0:
            return
        if self.request is None or self.request.seed != request.seed:
            self._clear()
            self.request, self._left, self._due, self._earlier = request, request.count if request.way & 2 else 0, now, 0
        elif request.way == 0:
            self._left = 0  # what is on its way is still expected
        self.to = to

    def _next(self):
        return _TRAFFIC(self.counts["sent"], self.data(self.request.seed, self.counts["sent"], False, self.request.size, MAX_PAYLOAD - 4))

    def _is_due(self, now):
        request = self.request
        return request is not None and self._left and (request.period == 0 or now >= self._due)

    def _sent(self):
        self.counts["sent"] += 1
        self._due += self.request.period / 1e6
        self._left -= self._left != self.NO_END

    def _take(self, message):
        if self.request is None or not self.request.way & 1:
            return
        number, counts = message.number, self.counts
        ahead, back = number - counts["expected"] & 0xFFFFFFFF, counts["expected"] - 1 - number & 0xFFFFFFFF
        if message.data != self.data(self.request.seed, number, True, self.request.size, MAX_PAYLOAD - 4):
            counts["wrong"] += 1
        elif ahead <= 0x7FFFFFFF:
            counts["expected"] = number + 1 & 0xFFFFFFFF
            counts["skipped"] += ahead
            counts["taken"] += 1
            self._earlier = (self._earlier << min(ahead + 1, 32) | 1) & 0xFFFFFFFF
        elif back > 31 or self._earlier >> back & 1:
            counts["repeated"] += 1
        else:
            self._earlier |= 1 << back
            counts["skipped"] -= 1
            counts["taken"] += 1
