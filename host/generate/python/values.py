# --- what every protocol needs: values to bytes and back, framing, check


class ProtocolError(ValueError):
    """Bytes that are no such message: too short, a count too large, text that is not UTF-8."""


class RangeError(ValueError):
    """A value that its type or range does not permit; the text names message, field, value and limits."""


class _Step:
    """A field and its place. `byte` counts from the block's start, from the end of the last step before it that varies, or from the
    last newer step; `bit` counts the bits of its run before it."""

    def __init__(self, name, kind, bits=0, extent="one", most=1, byte=0, bit=0, big=False, varies=False, count=0, unit=1, count_big=False,
                 newer=False, leb=0, record=None, names=None, low=None, high=None, scale=None, offset=0, limits=None, default=0,
                 key=None, optional=False, missing=False, form=None, ascii=False):
        self.name, self.kind, self.bits, self.extent, self.most = name, kind, bits, extent, most
        self.byte, self.bit, self.big, self.varies = byte, bit, big, varies
        self.count, self.unit, self.count_big, self.newer = count, unit, count_big, newer
        self.leb = leb
        self.record, self.names, self.low, self.high = record, names, low, high
        self.scale, self.offset, self.limits, self.default = scale, offset, limits, default
        self.key, self.optional, self.missing, self.form = key, optional, missing, form  # of text layouts
        self.ascii = ascii
        self.own_place = count > 0 or extent == "rest"
        self.array = extent != "one" and kind not in ("text", "bytes")

    def end(self):
        """Bytes up to the end of a step that does not vary."""
        if self.kind in ("text", "bytes"):
            return self.byte + self.most
        if self.kind == "record":
            return self.byte + self.most * self.record._size
        return self.byte + (self.bit + self.most * self.bits + 7) // 8

    def first(self):
        """The value in a new message, and in one from an older sender."""
        if self.kind == "text":
            return ""
        if self.kind == "bytes":
            return bytes(self.most if self.extent == "fixed" else 0)
        if self.array:
            return [self._first_item() for _ in range(self.most if self.extent == "fixed" else 0)]
        return self._first_item()

    def _first_item(self):
        return self.record() if self.kind == "record" else _from_raw(self, self.default)


def _text_of(step, data):
    """Bytes as text, UTF-8 or printable ASCII."""
    try:
        text = data.decode()
    except UnicodeDecodeError:
        raise ProtocolError("%s is not UTF-8" % step.name) from None
    if step.ascii and not _is_ascii(text):
        raise ProtocolError("%s is not printable ASCII" % step.name)
    return text


def _is_ascii(text):
    return all(" " <= character <= "~" for character in text)


def _take_bits(data, byte, bit, bits, big):
    """A number of a run of bits, or of whole bytes, that begins at `byte`."""
    start, end = byte + bit // 8, byte + (bit + bits + 7) // 8
    if not big:
        return int.from_bytes(data[start:end], "little") >> bit % 8 & (1 << bits) - 1
    return int.from_bytes(data[start:end], "big") >> 8 * (end - start) - bit % 8 - bits & (1 << bits) - 1


def _put_bits(data, byte, bit, bits, big, value):
    start, end = byte + bit // 8, byte + (bit + bits + 7) // 8
    shift = 8 * (end - start) - bit % 8 - bits if big else bit % 8
    order = "big" if big else "little"
    there = int.from_bytes(data[start:end], order)
    data[start:end] = (there | (value & (1 << bits) - 1) << shift).to_bytes(end - start, order)


def _take_leb(data, at, end, bits, signed):
    value, size = 0, 0
    while True:
        if at + size >= end or size >= 10:
            raise ProtocolError("a LEB128 number is cut short")
        byte = data[at + size]
        value |= (byte & 0x7F) << 7 * size
        size += 1
        if not byte & 0x80:
            break
    if signed and byte & 0x40:
        value -= 1 << 7 * size
    low, high = (-(1 << bits - 1), (1 << bits - 1) - 1) if signed else (0, (1 << bits) - 1)
    if not low <= value <= high or len(_leb(value, signed)) != size:
        raise ProtocolError("a LEB128 number is too wide or not in its shortest form")
    return value, at + size


def _leb(value, signed):
    out = bytearray()
    while True:
        byte = value & 0x7F
        value >>= 7
        if value == (-1 if signed and byte & 0x40 else 0):
            out.append(byte)
            return bytes(out)
        out.append(byte | 0x80)


def _from_raw(step, raw):
    if step.kind == "bool":
        return bool(raw)
    if step.kind == "f":
        return raw
    if step.scale is not None:
        return float(raw * step.scale + step.offset)
    if step.names is not None and (issubclass(step.names, enum.IntFlag) or raw in step.names._value2member_map_):
        return step.names(raw)
    return raw


def _to_raw(step, value):
    """The raw number for a value, not yet checked against its limits."""
    if step.kind == "bool":
        return int(bool(value))
    if step.kind == "f":
        return float(value)
    if step.scale is None:
        return int(value)
    exact = (Fraction(value) - step.offset) / step.scale
    near = math.floor(abs(exact) + Fraction(1, 2))
    raw = near if exact >= 0 else -near
    if not step.low <= raw <= step.high:  # a limit may be nearest to a double that is beyond it
        return next((limit for limit in (step.low, step.high) if _from_raw(step, limit) == value), raw)
    return raw


def _single(value):
    """The value rounded to a 32-bit float."""
    try:
        return struct.unpack("<f", struct.pack("<f", value))[0]
    except OverflowError:
        return math.copysign(math.inf, value)


def _permitted(step, value):
    if step.kind == "bool":
        return True
    if step.kind == "f":
        held = _single(value) if step.bits == 32 else value
        if math.isinf(held) and not math.isinf(value):
            return False
        return step.limits is None or step.limits[0] <= value <= step.limits[1] or (
            held == value and step.low <= held <= step.high)
    if isinstance(value, float) and not math.isfinite(value):
        return False
    raw = _to_raw(step, value)
    if not step.low <= raw <= step.high:
        return False
    if step.scale is None:
        return raw == value
    return _from_raw(step, raw) == value or step.limits[0] <= value <= step.limits[1]


def _float_bits(step, value):
    if value != value:
        return 0x7FC00000 if step.bits == 32 else 0x7FF8000000000000
    return int.from_bytes(struct.pack("<f" if step.bits == 32 else "<d", value), "little")


def _bits_float(step, bits):
    return struct.unpack("<f" if step.bits == 32 else "<d", bits.to_bytes(step.bits // 8, "little"))[0]


class _Block:
    """What messages and records have in common."""

    _steps: ClassVar[tuple] = ()
    _size: ClassVar[int] = 0  # bytes, least
    _length: ClassVar[Optional[tuple]] = None  # that it holds of itself: byte, size, byte order, bytes besides those it counts

    def check(self, path=None):
        """Raises RangeError if a field is outside its type or range."""
        path = path or type(self).__name__
        for step in self._steps:
            value = getattr(self, step.name)
            where = path + "." + step.name
            if value is None and step.optional:
                continue
            if step.kind in ("text", "bytes"):
                size = len(value.encode() if step.kind == "text" else value)
                if size > step.most or (step.kind == "bytes" and step.extent == "fixed" and size != step.most):
                    raise RangeError("%s: %d bytes, room for %d" % (where, size, step.most))
                if step.kind == "text" and step.extent == "fixed" and (value.endswith("\0") or (step.form and "\0" in value)):
                    raise RangeError("%s: %r holds U+0000, and zero bytes fill up this text" % (where, value))
                if step.ascii and not _is_ascii(value):
                    raise RangeError("%s: %r is not printable ASCII" % (where, value))
            elif step.array:
                if len(value) > step.most or (step.extent == "fixed" and len(value) != step.most):
                    raise RangeError("%s: %d elements, room for %d" % (where, len(value), step.most))
                for i, item in enumerate(value):
                    self._check_item(step, item, "%s[%d]" % (where, i))
            else:
                self._check_item(step, value, where)

    @staticmethod
    def _check_item(step, value, where):
        if step.kind == "record":
            value.check(where)
        elif not _permitted(step, value):
            limits = step.limits or (step.low, step.high)
            raise RangeError("%s: %r is outside %s to %s" % (where, value, limits[0], limits[1]))

    def _pack(self, out):
        start = base = end = len(out)
        for step in self._steps:
            if step.newer:
                base = end
            end = self._pack_step(step, getattr(self, step.name), out, base)
            if step.varies:
                base = end
        if self._length:
            byte, size, order, besides = self._length
            out.extend(bytes(max(0, start + byte + size - len(out))))
            out[start + byte:start + byte + size] = (len(out) - start - besides).to_bytes(size, order)
        return out

    def _pack_step(self, step, value, out, base):
        def reserve(size):
            out.extend(bytes(max(0, size - len(out))))

        at = base + step.byte
        if not step.varies:
            reserve(base + step.end())
        if step.kind == "text":
            value = value.encode()
        if step.count:
            reserve(at)
            out += (len(value) * step.unit).to_bytes(step.count, "big" if step.count_big else "little")
            at += step.count
        if step.kind in ("text", "bytes"):
            if step.varies:
                reserve(at)
            out[at:at + len(value)] = value
        elif step.kind in ("uleb", "sleb", "record"):
            self._pack_each(step, value if step.array else [value], out, at)
        else:
            place, bit = (at, 0) if step.own_place else (base + step.byte, step.bit)
            items = value if step.array else [value]
            reserve(place + (bit + len(items) * step.bits + 7) // 8)
            for i, item in enumerate(items):
                raw = _to_raw(step, item)
                _put_bits(out, place, bit + i * step.bits, step.bits, step.big, _float_bits(step, raw) if step.kind == "f" else raw)
        return len(out)

    @staticmethod
    def _pack_each(step, items, out, at):
        for i, item in enumerate(items):
            if step.kind == "record" and not step.varies:
                inner = item._pack(bytearray())
                out[at + i * step.record._size:at + (i + 1) * step.record._size] = inner
            elif step.kind == "record":
                out.extend(bytes(max(0, at - len(out))))
                out += item._pack(bytearray())
            else:
                out.extend(bytes(max(0, at - len(out))))
                out += _leb(_to_raw(step, item), step.kind == "sleb")

    @classmethod
    def _unpack(cls, data, at, end, may_be_older):
        message, base, taken, missing = cls.__new__(cls), at, at, False
        if cls._length:
            end = cls._own_end(data, at, end)
        for step in cls._steps:
            missing = missing or (may_be_older and step.newer and taken == end)
            if missing:
                setattr(message, step.name, step.first())
                continue
            if step.newer:
                base = taken
            value, after = cls._unpack_step(step, data, base, end)
            setattr(message, step.name, value)
            taken = after if step.varies else base + step.end()
            if step.varies:
                base = taken
        return message, end if cls._length else taken

    @classmethod
    def _own_end(cls, data, at, end):
        """Where a record ends that says so itself."""
        byte, size, order, besides = cls._length
        known = at + byte + size
        said = at + int.from_bytes(data[at + byte:known], order) + besides if known <= end else known - 1
        if not known <= said <= end:
            raise ProtocolError("%s is cut short by its length" % cls.__name__)
        return said

    @classmethod
    def _unpack_step(cls, step, data, base, end):
        at = base + step.byte
        if (at + step.count if step.varies else base + step.end()) > end:
            raise ProtocolError("%s is cut short at %s" % (cls.__name__, step.name))
        count = step.most
        if step.count:
            count = int.from_bytes(data[at:at + step.count], "big" if step.count_big else "little")
            if count % step.unit:
                raise ProtocolError("%s.%s has part of an element" % (cls.__name__, step.name))
            count //= step.unit
            at += step.count
        elif step.extent == "rest" and step.bits:
            if (end - at) % (step.bits // 8):
                raise ProtocolError("%s.%s ends within an element" % (cls.__name__, step.name))
            count = (end - at) // (step.bits // 8)
        if count > step.most:
            raise ProtocolError("%s.%s has %d of at most %d" % (cls.__name__, step.name, count, step.most))
        if step.own_place and step.bits and at + (count * step.bits + 7) // 8 > end:
            raise ProtocolError("%s is cut short at %s" % (cls.__name__, step.name))
        if step.kind in ("text", "bytes"):
            return cls._unpack_string(step, bytes(data[at:at + count])), at + count
        if step.kind in ("uleb", "sleb", "record"):
            return cls._unpack_each(step, data, at, end, count)
        place, bit = (at, 0) if step.own_place else (base + step.byte, step.bit)
        items = [cls._unpack_number(step, data, place, bit + i * step.bits) for i in range(count)]
        return items if step.array else items[0], at + (count * step.bits + 7) // 8

    @staticmethod
    def _unpack_string(step, value):
        if step.kind == "bytes":
            return value
        return _text_of(step, value.rstrip(b"\0") if step.extent == "fixed" else value)

    @staticmethod
    def _unpack_each(step, data, at, end, count):
        items = []
        while at < end if step.extent == "rest" and not step.bits else len(items) < count:
            if len(items) >= step.most:
                raise ProtocolError("%s has more than %d elements" % (step.name, step.most))
            if step.kind == "record":
                item, at = step.record._unpack(data, at, end, False)
            else:
                raw, at = _take_leb(data, at, end, step.leb, step.kind == "sleb")
                item = _from_raw(step, raw)
            items.append(item)
        return items if step.array else items[0], at

    @staticmethod
    def _unpack_number(step, data, place, bit):
        raw = _take_bits(data, place, bit, step.bits, step.big)
        if step.kind == "f":
            return _bits_float(step, raw)
        if step.kind == "i" and raw >> step.bits - 1:
            raw -= 1 << step.bits
        return _from_raw(step, raw)


class _Message(_Block):
    """A message, or a variable, which has no id."""

    ID: ClassVar[int] = 0
    TAGS: ClassVar[tuple] = ()  # without an id in the header: what a payload begins with, the first as it is sent
    WHOLE: ClassVar[bool] = False  # whether a tag is all of the payload
    BARE: ClassVar[bool] = False  # whether its tag is all of it, and stands outside any frame
    SENDER: ClassVar[str] = ""
    SEARCHED: ClassVar[bool] = False  # whether an end mark ends its frames wherever it stands
    BEFORE_END: ClassVar[Optional[int]] = None  # bytes of content in front of the end mark, which counts only there
    TICKET_SIZE: ClassVar[int] = 0  # bytes in front of the fields
    DELIVERY: ClassVar = None
    QUERY: ClassVar[Optional[tuple]] = None  # of a request without a ticket: retries, seconds, classes of its replies, of its lines

    def pack(self) -> bytes:
        """The payload after its ticket, with its tag. Raises RangeError if a field is outside its type or range."""
        self.check()
        payload = b"".join(self.TAGS[:1]) + bytes(self._pack(bytearray()))
        if self.TICKET_SIZE + len(payload) > MAX_PAYLOAD:
            raise RangeError("%s: the payload takes %d bytes; the frame has room for %d"
                             % (type(self).__name__, self.TICKET_SIZE + len(payload), MAX_PAYLOAD))
        return self._carried(payload)

    def _carried(self, payload):
        if self.SEARCHED and any((payload + end).find(end) < len(payload) for end in ENDS):
            raise RangeError("%s: the payload holds the end mark" % type(self).__name__)
        if CODING is None and any(byte in IGNORED for byte in payload):
            raise RangeError("%s: the payload holds a byte that a receiver drops" % type(self).__name__)
        return payload

    @classmethod
    def unpack(cls, payload: bytes):
        """A message from its payload after the ticket, with its tag. Fields that an older sender lacks take their defaults; bytes after the last
        known field are ignored. Raises ProtocolError if the payload does not fit."""
        return cls._fitted(payload)[0]

    @classmethod
    def _fitted(cls, payload):
        """The message, and how many bytes after it are ignored."""
        message, end = cls._unpack(payload, cls._fields_at(payload), len(payload), True)
        return message, len(payload) - end

    @classmethod
    def _told(cls):
        """Whether a constant tells it."""
        return False

    @classmethod
    def _fit(cls, payload):
        """How well a payload fits, to compare: whole, told by a constant, within its ranges; then the fewest unknown bytes."""
        try:
            message, ignored = cls._fitted(payload)
        except ProtocolError:
            return (0, 0)
        rank = 1 + (0 if ignored else 2) + (4 if cls._told() else 0)
        try:
            message.check()
            return (rank + 8, -ignored)
        except RangeError:
            return (rank, -ignored)

    @classmethod
    def _tag_size(cls, payload):
        """Bytes of the longest tag with which a payload begins; None: there is none."""
        return max((len(tag) for tag in cls.TAGS if (payload == tag if cls.WHOLE else payload.startswith(tag))), default=None)

    @classmethod
    def _fields_at(cls, payload):
        size = cls._tag_size(payload) if cls.TAGS else 0
        if size is None:
            raise ProtocolError("%s begins with another tag" % cls.__name__)
        return size


def _reversed(value, bits):
    return int(format(value, "0%db" % bits)[::-1], 2)


def _crc_table():
    table = []
    for byte in range(256):
        if CRC_REFLECT_IN:
            reg, poly = byte, _reversed(CRC_POLY, CRC_WIDTH)
            for _ in range(8):
                reg = reg >> 1 ^ (poly if reg & 1 else 0)
        else:  # the register's top bit is bit 71 - so that any width has room for a byte
            reg, poly = byte << 64, CRC_POLY << 72 - CRC_WIDTH
            for _ in range(8):
                reg = (reg << 1 ^ (poly if reg >> 71 & 1 else 0)) & (1 << 72) - 1
        table.append(reg)
    return table


def _crc(data):
    """R. Williams, "A Painless Guide to CRC Error Detection Algorithms", 1993."""
    if CRC_REFLECT_IN:
        reg = _reversed(CRC_INIT, CRC_WIDTH)
        for byte in data:
            reg = reg >> 8 ^ _TABLE[(reg ^ byte) & 0xFF]
    else:
        reg = CRC_INIT << 72 - CRC_WIDTH
        for byte in data:
            reg = (reg << 8 & (1 << 72) - 1) ^ _TABLE[reg >> 64 ^ byte]
        reg >>= 72 - CRC_WIDTH
    if CRC_REFLECT_IN != CRC_REFLECT_OUT:
        reg = _reversed(reg, CRC_WIDTH)
    return reg ^ CRC_XOR_OUT


_TABLE = _crc_table() if CHECK == "crc" else []


def _fletcher16(data):
    first = second = 0
    for byte in data:
        first = (first + byte) % 255
        second = (second + first) % 255
    return second << 8 | first


def _internet(data):
    total = sum(data[0::2]) * 256 + sum(data[1::2])
    while total >> 16:
        total = (total & 0xFFFF) + (total >> 16)
    return total ^ 0xFFFF


_CHECKS = {
    "crc": _crc,
    "none": lambda data: 0,
    "sum8": lambda data: sum(data) & 0xFF,
    "sum8/negated": lambda data: -sum(data) & 0xFF,
    "sum8/inverted": lambda data: ~sum(data) & 0xFF,
    "xor8": lambda data: functools.reduce(operator.xor, data, 0),
    "fletcher16": _fletcher16,
    "adler32": zlib.adler32,
    "internet": _internet,
}


def check_value(data: bytes) -> int:
    """The check value of some bytes."""
    return _CHECKS[CHECK](data)
