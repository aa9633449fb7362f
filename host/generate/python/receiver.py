# --- frames: made, and found in a stream


_ROLE_BITS = {role[0]: role[3] for role in _HEADER}


def _pack_header(roles):
    data = bytearray(HEADER_SIZE)
    for name, byte, bit, bits, big, constant in _HEADER:
        _put_bits(data, byte, bit, bits, big, constant if name == "const" else roles.get(name, 0))
    return bytes(data)


def _unpack_header(content):
    """The roles by name, without constants and reserved bits; None if a constant or the length is wrong."""
    header = {}
    for name, byte, bit, bits, big, constant in _HEADER:
        value = _take_bits(content, byte, bit, bits, big)
        if name == "const" and value != constant:
            return None
        if name not in ("const", "reserved"):
            header[name] = value
    room = len(content) - HEADER_SIZE + _LENGTH_MORE
    length = header.get("length", room)
    return header if length == room or (FILLED and length < room) else None


def _check_of(covered):
    """The check value of what stands in front of the check."""
    return check_value(CHECK_PREFIX + covered[CHECK_SKIP:] + CHECK_SUFFIX)


def _check_bytes(covered):
    """The check as it is sent, with the literal in front of it."""
    value = _check_of(covered)
    if CHECK_BASE == 10:
        return CHECK_AFTER + b"%d" % value
    size = CHECK_SIZE - len(CHECK_AFTER)
    digits = ("%0*" + CHECK_CASE) % (size, value) if CHECK_BASE else ""
    return CHECK_AFTER + (digits.encode() or value.to_bytes(size, CHECK_ORDER))


def _check_read(content):
    """The bytes of the check at the content's end, with the literal in front of it, and its value; None: there is none."""
    most = CHECK_SIZE - len(CHECK_AFTER)
    size = most
    if CHECK_BASE == 10:
        size = len(content[-CHECK_SIZE:]) - content[-CHECK_SIZE:].rfind(CHECK_AFTER, 0, -1) - len(CHECK_AFTER)
    digits, front = content[len(content) - size:], content[:len(content) - size]
    if len(digits) != size or not front.endswith(CHECK_AFTER):
        return CHECK_SIZE, None
    if not CHECK_BASE:
        return size + len(CHECK_AFTER), int.from_bytes(digits, CHECK_ORDER)
    good = b"0123456789" if CHECK_BASE == 10 else b"0123456789abcdefABCDEF"
    return size + len(CHECK_AFTER), int(digits, CHECK_BASE) if all(byte in good for byte in digits) else None


def _coded(content: bytes) -> bytes:
    """Content as it stands between the framing's own bytes."""
    return content if CODING is None else (content.hex() if CODING == "hex" else content.hex().upper()).encode()


def _decoded(finder) -> bool:
    """Makes bytes of what a finder found; False: these are no hex digits."""
    if CODING is None:
        return True
    try:
        text = bytes(finder.content).decode("ascii")
        finder.content = bytearray.fromhex(text if text.isalnum() else "?")
        return True
    except ValueError:
        return False


def encode(message, sequence: int = 0, **roles: int) -> bytes:
    """A frame as it is on the wire. `roles` may be source, destination, node, minor, and of a ticketed message ticket and base; those
    omitted are 0, minor is this protocol's. Raises RangeError for a value that its type or range does not permit."""
    payload = message.pack()
    if message.BARE:
        return payload
    if message.TICKET_SIZE:
        payload = bytes([roles.pop("ticket", 0), roles.pop("base", 0)][:message.TICKET_SIZE]) + payload
    header = {"version": VERSION[0], "minor": VERSION[1], "id": message.ID, "sequence": sequence, "length": len(payload) + _LENGTH_MORE}
    for name, value in roles.items():
        if name not in ("source", "destination", "node", "minor") or not 0 <= value < 1 << _ROLE_BITS.get(name, 0):
            raise RangeError("%s: %r is no %s of this header and message" % (type(message).__name__, value, name))
    header.update(roles)
    content = (_pack_header(header) + payload).ljust(FILLED - CHECK_SIZE, b"\0")
    wire = stuff(_coded(content + _check_bytes(content)))
    if message.SENDER != "device" and HOST_END != END:
        wire = wire[:len(wire) - len(END) - CHECK_BEHIND] + HOST_END + wire[len(wire) - CHECK_BEHIND:]
    return _halved(wire) if HALVES else wire


@dataclass
class Frame:
    """A message that arrived, and its header's roles by name, with ticket and base of a ticketed one."""

    message: object
    header: dict


def _text_run(data):
    """How many bytes of data are console text, and whether the rest begins a character whose end is missing."""
    for at, byte in enumerate(data):
        if byte < 0x20 and byte not in (9, 10, 13, 27) or byte == 0x7F:
            data, cut = data[:at], False
            break
    else:
        cut = True
    try:
        bytes(data).decode()
        return len(data), False
    except UnicodeDecodeError as error:
        return error.start, cut and error.reason == "unexpected end of data"


def _told(header, payload, sender, expected=()):
    """The class of what `sender` sent, by the header's id, or without one by the longest tag with which the payload begins; None: it
    sends no such message. Of those without a tag the first of the `expected` names that fits."""
    if "id" in header:
        return _BY_ID[sender].get(header["id"])
    best, size, bare = None, -1, []
    for kind in MESSAGES.values():
        if kind.SENDER not in (sender, "both") or kind.BARE:
            continue
        begins = kind._tag_size(payload) if kind.TAGS else 0
        if begins is not None and begins > size:
            best, size = kind, begins
        if not kind.TAGS:
            bare.append(kind)
    if size == 0 and len(bare) > 1:  # texts that only what fits tells apart
        awaited = [kind for name in expected for kind in bare if kind.__name__ == name and kind._fit(payload)[0] & 11 == 11]
        best = awaited[0] if awaited else max(bare, key=lambda kind: kind._fit(payload))
    return best


class Receiver:
    """Finds frames in a stream; what both sides may send is taken for the device's. feed() takes bytes as they come; pause() says that the line fell silent, or the stream ended; counters
    say what became of the bytes, except those of an open candidate. Where a console shares the line, text() is called with its bytes."""

    def __init__(self):
        self.counters = dict.fromkeys(("bytes_in", "bytes_of_frames", "bytes_failed", "bytes_noise", "bytes_console", "bytes_idle", "frames_in",
                                       "failed_check", "malformed", "too_long", "timed_out", "other_version", "unknown_id",
                                       "bad_payload"), 0)
        self.text = lambda data: None
        self.expected = ()  # names of the classes that would answer the open request
        self._finder = _Halves(self._why_not) if HALVES else _Finder()
        self._pending = 0
        self._outside, self._seen = True, b""  # whether a bare message may come, and what seems to be one
        self._raw, self._noise = bytearray(), 0  # what is pending, after noise that may be the beginning of a character

    def feed(self, data: bytes) -> Iterator[Frame]:
        """The frames that these bytes complete. Where the link keeps packets apart, they are one packet."""
        self.counters["bytes_in"] += len(data)
        for byte in data:
            if byte in IGNORED:
                self.counters["bytes_idle"] += 1
                continue
            if self._outside and self._pending == 0:
                seen = self._seen + bytes([byte])
                like = [kind for kind in _BARE if kind.TAGS[0].startswith(seen)]
                if like:
                    self._seen = seen if seen != like[0].TAGS[0] else b""
                    if not self._seen:
                        yield self._bare(like)
                    continue
                yield from self._not_bare()
            yield from self._take(byte)
        if FRAMING == "packet":
            yield from self.pause()

    def _take(self, byte):
        self._pending += 1
        if INTERLEAVED:
            self._raw.append(byte)
        self._outside = False
        for event in self._finder.take(byte):
            frame = self._settle(event)
            if frame is not None:
                yield frame

    def _bare(self, kinds):
        """A message outside any frame; of several the one that is awaited, or the first."""
        kind = next((kind for kind in kinds if kind.__name__ in self.expected), kinds[0])
        self.counters["bytes_of_frames"] += len(kind.TAGS[0])
        self.counters["frames_in"] += 1
        return Frame(kind(), {})

    def _not_bare(self):
        """What seemed to be a bare message is something else."""
        seen, self._seen = self._seen, b""
        for byte in seen:
            yield from self._take(byte)

    def pause(self) -> Iterator[Frame]:
        """Ends what is open, if silence ends a frame; otherwise abandons it and searches its bytes again. Returns the frames found."""
        yield from self._not_bare()
        for event in self._finder.pause():
            frame = self._settle(event)
            if frame is not None:
                yield frame
        self._outside = True

    def _settle(self, event):
        """Counts the bytes of an event: all pending ones except those that the finder keeps."""
        counter, frame = {"noise": "bytes_noise", "idle": "bytes_idle"}.get(event, "bytes_failed"), None
        if event == "content" and not _decoded(self._finder):
            event = "malformed"
            self._finder.reject()
        if event == "content":
            header, payload, event = self._judge(bytes(self._finder.content))
            if header is not None:
                counter = "bytes_of_frames"
                frame = self._deliver(header, payload)
            else:
                self._finder.reject()
        self._outside = counter in ("bytes_of_frames", "bytes_idle")
        if counter == "bytes_failed":
            self.counters[event] += 1
        self.counters[counter] += self._pending - self._finder.kept()
        if INTERLEAVED:
            self._sort(counter, event, self._pending - self._finder.kept())
        self._pending = self._finder.kept()
        return frame

    def _sort(self, counter, event, size):
        """Separates text from noise and from failed candidates."""
        if counter == "bytes_noise":
            self._noise += size
            while self._noise:
                run, cut = _text_run(self._raw[:self._noise])
                if run:
                    self._report_text(counter, run)
                elif cut:
                    break
                else:
                    del self._raw[0]
                self._noise -= run or 1
            return
        del self._raw[:self._noise]
        self._noise = 0
        run, cut = _text_run(self._raw[:size]) if counter == "bytes_failed" else (0, False)
        if run and (run == size or cut):  # text that outgrew the longest frame may end in the middle of a character
            self.counters[event] -= 1
            self._report_text(counter, run)
            self._noise = size - run
            self.counters["bytes_failed"] -= self._noise
            self.counters["bytes_noise"] += self._noise
        else:
            del self._raw[:size]

    def _report_text(self, counter, size):
        text = bytes(self._raw[:size])
        del self._raw[:size]
        self.counters[counter] -= size
        self.counters["bytes_console"] += size
        self.text(text)

    def _why_not(self, content):
        """Why a content is no frame; None: it is one."""
        found = types.SimpleNamespace(content=content)
        if not _decoded(found):
            return "malformed"
        header, _, event = self._judge(bytes(found.content))
        return event if header is None else None

    def _judge(self, content):
        if len(content) < HEADER_SIZE + (len(CHECK_AFTER) + 1 if CHECK_BASE == 10 else CHECK_SIZE) or not content:
            return None, None, "malformed"
        size, value = _check_read(content)
        covered = content[:len(content) - size]
        if value is not None and len(covered) < HEADER_SIZE:
            return None, None, "malformed"
        if value is None or value != _check_of(covered):
            return None, None, "failed_check"
        return _unpack_header(covered), covered[HEADER_SIZE:], "malformed"

    def _deliver(self, header, payload):
        kind = _told(header, payload, "device", self.expected) or _told(header, payload, "host")
        self.counters["frames_in"] += 1
        if FILLED and "length" in header:
            payload = payload[:header["length"]]
        if header.get("version", _VERSION_ON_WIRE) != _VERSION_ON_WIRE:
            self.counters["other_version"] += 1
        elif kind is None:
            self.counters["unknown_id"] += 1
        else:
            try:
                size = kind.TICKET_SIZE
                if len(payload) < size:
                    raise ProtocolError("%s is cut short at its ticket" % kind.__name__)
                header.update(zip(("ticket", "base"), payload[:size]))
                return Frame(kind.unpack(payload[size:]), header)
            except ProtocolError:
                self.counters["bad_payload"] += 1
        return None
