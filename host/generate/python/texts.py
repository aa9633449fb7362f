# --- text layouts; inside, a text is a string with one character for each byte


class _Form:
    """How a field is written. `size`: characters of a value, if it always has as many; `words`: texts of an enum's values, or of flags'
    bits; `number`: not by words, in json `json_number`."""

    def __init__(self, base=10, width=0, decimals=0, exponent=-1, pad=" ", point=".", quote="", sign=False, case=None, raw=False,
                 number=False, json_number=False, quoted=False, base64=False, prefix="", on="1", off="0", between=",", absent="",
                 size=0, words=()):
        self.base, self.width, self.decimals, self.exponent, self.pad, self.point = base, width, decimals, exponent, pad, point
        self.quote, self.sign, self.case, self.raw, self.number, self.json_number = quote, sign, case, raw, number, json_number
        self.quoted, self.base64, self.prefix, self.on, self.off, self.between = quoted, base64, prefix, on, off, between
        self.absent, self.size, self.words = absent, size, words
        self.pattern = re.compile(r" *([-+]?)%s([0-9]*)(?:%s([0-9]*))?(?:[eE]([-+]?[0-9]+))?( *)\Z"
                                  % (re.escape(prefix), re.escape(point)))


def _nearest(exact):
    """The nearest whole number, ties away from zero."""
    near = math.floor(abs(exact) + Fraction(1, 2))
    return near if exact >= 0 else -near


def _nearest_float(step, exact):
    """None: it is beyond the type."""
    if step.bits == 64:
        try:
            return float(exact)
        except OverflowError:
            return None
    least = max(-149, exact.numerator.bit_length() - exact.denominator.bit_length() - 24)
    if abs(exact) >= Fraction(2) ** (least + 24):
        least += 1
    if least > 104:
        return None
    value = math.ldexp(round(exact / Fraction(2) ** least), least)
    return math.copysign(value, exact) if abs(value) < 2.0 ** 128 else None


def _wide(step):
    return step.leb or step.bits


def _of_number(step, exact):
    """The value nearest to a number. None: it is outside the type."""
    if step.kind == "f":
        value = _nearest_float(step, exact)
        return 0.0 if value == 0 else value  # without a sign
    raw = _nearest(exact if step.form.raw or step.scale is None else (exact - step.offset) / step.scale)
    low, high = (-1 << _wide(step) - 1, (1 << _wide(step) - 1) - 1) if step.kind in ("i", "sleb") else (0, (1 << _wide(step)) - 1)
    return _from_raw(step, raw) if low <= raw <= high else None


def _mantissa(exact, behind, point):
    exponent, units = 0, 0
    if exact:
        exponent = len(str(exact.numerator)) - len(str(exact.denominator)) - 1
        while True:
            units = _nearest(exact * Fraction(10) ** (behind - exponent))
            if units < 10 ** (behind + 1):
                break
            exponent += 1
    digits = str(units).rjust(behind + 1, "0")
    return "%s%s%sE%+03d" % (digits[0], point if behind else "", digits[1:], exponent), Fraction(units) * Fraction(10) ** (exponent - behind)


def _spelled(step, value):
    """A number as text."""
    form, sign = step.form, ""
    if form.base != 10:
        digits = format(_to_raw(step, value) & (1 << _wide(step)) - 1, "b" if form.base == 2 else "x" if form.case == "lower" else "X")
    else:
        if step.kind == "f":
            held = _single(value) if step.bits == 32 else float(value)
            if not math.isfinite(held):
                raise RangeError("%s: %r is not finite" % (step.name, value))
            exact = Fraction(held)
        else:
            raw = _to_raw(step, value)
            exact = Fraction(raw) if form.raw or step.scale is None else raw * step.scale + step.offset
        if form.exponent >= 0:
            digits, written = _mantissa(abs(exact), form.exponent, form.point)
            if _nearest_float(step, written) is None:
                raise RangeError("%s: %r is beyond the type when rounded" % (step.name, value))
            negative = exact < 0
        else:
            units = _nearest(exact * 10 ** form.decimals)
            if abs(units) >= 1 << 64:
                raise RangeError("%s: %r is 2^64 or more in units of its last decimal" % (step.name, value))
            digits, negative = str(abs(units)).rjust(form.decimals + 1, "0"), units < 0
            if form.decimals:
                digits = digits[:-form.decimals] + form.point + digits[-form.decimals:]
        sign = "-" if negative else "+" if form.sign else ""
    size = len(sign) + len(form.prefix) + len(digits)
    if form.width and size > form.width:
        raise RangeError("%s: the number takes more than its width of %d characters" % (step.name, form.width))
    fill = form.width - size
    return " " * (fill if form.pad == " " else 0) + sign + form.prefix + "0" * (fill if form.pad == "0" else 0) + digits


def _unspelled(step, text):
    """The number that a text is. None: it is none, or outside the type."""
    form = step.form
    if form.width and len(text) != form.width:
        return None
    if form.base != 10:
        digits = text.lstrip(" ")
        if not digits.startswith(form.prefix):
            return None
        digits = digits[len(form.prefix):]
        digits = digits.rstrip(" ") if form.width else digits
        if not re.match(r"[01]+\Z" if form.base == 2 else r"[0-9a-fA-F]+\Z", digits):
            return None
        bits = int(digits, form.base)
        if bits >> _wide(step):
            return None
        return _from_raw(step, bits - (1 << _wide(step)) if step.kind in ("i", "sleb") and bits >> _wide(step) - 1 else bits)
    found = form.pattern.match(text)
    if not found or not (found.group(2) or found.group(3)) or (found.group(5) and not form.width):
        return None
    digits, exponent = (found.group(2) + (found.group(3) or "")).lstrip("0"), -len(found.group(3) or "")
    if found.group(4):
        exponent += max(-10000000, min(10000000, int(found.group(4)[:12])))
    exact = Fraction(0)
    if digits:
        if len(digits) + exponent > 400:
            return None
        if len(digits) + exponent >= -400:
            exact = Fraction(int(digits)) * Fraction(10) ** exponent
    if found.group(1) == "-":
        exact = -exact
    if form.exponent < 0:
        units = _nearest(exact * 10 ** form.decimals)
        if abs(units) >= 1 << 64:
            return None
        exact = Fraction(units, 10 ** form.decimals)
    return _of_number(step, exact)


def _filled(step, text):
    if step.form.width and len(text) > step.form.width:
        raise RangeError("%s: %d characters exceed its width of %d" % (step.name, len(text), step.form.width))
    return text.ljust(step.form.width)


def _flag_words(step, value):
    words = {bit: text for text, bit in step.form.words}
    return [words.get(bit, bit) for bit in range(_wide(step)) if int(value) >> bit & 1]


def _word(step, value):
    return next((text for text, raw in step.form.words if raw == int(value)), None)


def _put_element(step, value):
    form = step.form
    if step.kind == "text":
        text = value.encode().decode("latin-1")
        text = form.quote + (text.replace(form.quote, 2 * form.quote) if form.quote else text) + form.quote
        if form.width and text.endswith(" "):
            raise RangeError("%s: text with a width must not end with a blank, which is taken off again" % step.name)
        return _filled(step, text)
    if step.kind == "bytes":
        text = base64.b64encode(value).decode() if form.base64 else bytes(value).hex()
        return _filled(step, text.upper() if form.case == "upper" and not form.base64 else text)
    if step.kind == "bool":
        return _filled(step, (form.on if value else form.off) or "01"[bool(value)])
    if form.number:
        return _spelled(step, value)
    if issubclass(step.names, enum.IntFlag):
        return _filled(step, form.between.join(str(word) for word in _flag_words(step, value)))
    word = _word(step, value)
    return _spelled(step, value) if word is None else _filled(step, word)


def _bad(step):
    return ProtocolError("%s has no such value" % step.name)


def _take_string(step, text):
    form = step.form
    if form.width and len(text) != form.width:
        raise _bad(step)
    text = text.rstrip(" ") if form.width else text
    if step.kind == "text":
        if form.quote:
            inside = text[1:-1]
            if len(text) < 2 or text[0] + text[-1] != 2 * form.quote or form.quote in inside.replace(2 * form.quote, ""):
                raise _bad(step)
            text = inside.replace(2 * form.quote, form.quote)
        if len(text) > step.most or (step.extent == "fixed" and "\0" in text):
            raise _bad(step)
        return _text_of(step, text.encode("latin-1"))
    data = None
    if form.base64:
        try:
            data = base64.b64decode(text.encode("latin-1"), validate=True)
        except ValueError:
            pass
        data = data if data is not None and base64.b64encode(data).decode() == text else None
    elif re.match(r"(?:[0-9a-fA-F]{2})*\Z", text):
        data = bytes.fromhex(text)
    if data is None or len(data) > step.most or (step.extent == "fixed" and len(data) != step.most):
        raise _bad(step)
    return data


def _take_flags(step, words):
    """Of names, and of numbers of bits."""
    raw = 0
    for word in words:
        bit = next((bit for text, bit in step.form.words if text == word), None)
        if bit is None and re.match(r"[0-9]{1,2}\Z", word) and int(word) < _wide(step):
            bit = int(word)
        if bit is None or raw >> bit & 1:
            raise _bad(step)
        raw |= 1 << bit
    return _from_raw(step, raw)


def _take_element(step, text):
    form, value = step.form, None
    if step.kind in ("text", "bytes"):
        return _take_string(step, text)
    if not form.number:
        if form.width and len(text) != form.width:
            raise _bad(step)
        bare = text.rstrip(" ") if form.width else text
        if step.kind == "bool":
            on, off = form.on or "1", form.off or "0"
            value = True if bare == on else False if bare == off else None
            if value is None:
                raise _bad(step)
            return value
        if issubclass(step.names, enum.IntFlag):
            return _take_flags(step, bare.split(form.between) if bare else [])
        raw = next((raw for word, raw in form.words if word == bare), None)
        if raw is not None:
            return _from_raw(step, raw)
    value = _unspelled(step, text)
    if value is None:
        raise _bad(step)
    return value


def _find(text, stop, at):
    place = text.find(stop, at) if stop else -1
    return place if place >= 0 else len(text)


def _element_end(step, text, at, stop):
    form = step.form
    quote = form.quote if step.kind == "text" else ""
    if form.size and not quote:
        return min(len(text), at + form.size)
    if quote and text.startswith(quote, at):
        at += 1
        while at < len(text) and (text[at] != quote or text.startswith(quote, at + 1)):
            at += 2 if text[at] == quote else 1
        at += 1
    elif form.number:
        at += len(text[at:]) - len(text[at:].lstrip(" "))
        if form.base == 10 and text[at:at + 1] in ("-", "+"):
            at += 1
        at += len(form.prefix) if text.startswith(form.prefix, at) else 0
    return _find(text, stop, min(at, len(text)))


def _take_value(step, text, at, stop):
    """A value and where it ends."""
    if not step.array:
        end = _element_end(step, text, at, stop)
        return _take_element(step, text[at:end]), end
    items, between = [], step.form.between
    whole = text if step.extent == "fixed" else text[:_find(text, stop, at)]
    more = step.extent == "fixed" or at < len(whole)
    while more:
        if items:
            if not whole.startswith(between, at):
                raise _bad(step)
            at += len(between)
        if len(items) == step.most:
            raise _bad(step)
        if step.extent == "fixed":
            more = len(items) + 1 < step.most
        else:
            more = whole.find(between, at) >= 0
        end = _element_end(step, whole, at, between if more else stop if step.extent == "fixed" else "")
        items.append(_take_element(step, whole[at:end]))
        at = end
    if step.extent != "fixed" and at != len(whole):
        raise _bad(step)
    return items, at


def _put_value(step, value):
    return step.form.between.join(_put_element(step, item) for item in value) if step.array else _put_element(step, value)


class _Cursor:
    """Reads JSON, RFC 8259: numbers stay text, objects are lists of name, value and size."""

    WORDS = {"true": True, "false": False, "null": None}
    NUMBER = re.compile(r"-?(?:0|[1-9][0-9]*)(?:\.[0-9]+)?(?:[eE][-+]?[0-9]+)?")

    class Number(str):
        pass

    class Escaped(str):
        """A string with an escape in it: no digits stand for a value there."""

    def __init__(self, text):
        self.text, self.at = text, 0

    def fail(self):
        return ProtocolError("this is no JSON at character %d" % self.at)

    def skip(self):
        while self.at < len(self.text) and self.text[self.at] in " \t\n\r":
            self.at += 1

    def peek(self):
        self.skip()
        return self.text[self.at:self.at + 1]

    def take(self, wanted):
        if self.peek() != wanted:
            return False
        self.at += 1
        return True

    def unit(self):
        digits = self.text[self.at:self.at + 4]
        if not re.match(r"[0-9a-fA-F]{4}\Z", digits):
            raise self.fail()
        self.at += 4
        return int(digits, 16)

    def escaped(self):
        letter = self.text[self.at:self.at + 1]
        self.at += 1
        if letter != "u":
            if not letter or letter not in "\"\\/bfnrt":
                raise self.fail()
            return "\"\\/\b\f\n\r\t"["\"\\/bfnrt".index(letter)]
        code = self.unit()
        if 0xD800 <= code < 0xDC00:
            if not self.text.startswith("\\u", self.at):
                raise self.fail()
            self.at += 2
            low = self.unit()
            if not 0xDC00 <= low <= 0xDFFF:
                raise self.fail()
            code = 0x10000 + (code - 0xD800 << 10 | low - 0xDC00)
        elif 0xDC00 <= code <= 0xDFFF:
            raise self.fail()
        return chr(code).encode().decode("latin-1")

    def string(self):
        if not self.take('"'):
            raise self.fail()
        out, kind = [], str
        while self.at < len(self.text):
            letter = self.text[self.at]
            self.at += 1
            if letter == '"':
                text = "".join(out)
                try:
                    text.encode("latin-1").decode()
                except UnicodeDecodeError:
                    raise self.fail() from None
                return kind(text)
            if letter < " ":
                raise self.fail()
            kind = self.Escaped if letter == "\\" else kind
            out.append(self.escaped() if letter == "\\" else letter)
        raise self.fail()

    def value(self, depth=0):
        first = self.peek()
        if first == '"':
            return self.string()
        for word, meaning in self.WORDS.items():
            if self.text.startswith(word, self.at):
                self.at += len(word)
                return meaning
        if first not in ("{", "["):
            found = self.NUMBER.match(self.text, self.at)
            if not found:
                raise self.fail()
            self.at = found.end()
            return self.Number(found.group())
        if depth == 40:
            raise self.fail()
        self.at += 1
        last, items = "}" if first == "{" else "]", []
        while not (not items and self.take(last)):
            items.append(self.member(depth + 1) if first == "{" else self.value(depth + 1))
            if not self.take(","):
                if not self.take(last):
                    raise self.fail()
                break
        return tuple(items) if first == "{" else items

    def member(self, depth):
        self.skip()
        start = self.at
        name = self.string()
        if not self.take(":"):
            raise self.fail()
        value = self.value(depth)
        return name, value, self.at - start


def _nesting(value):
    if isinstance(value, tuple):
        return 1 + max((_nesting(inner) for _, inner, _ in value), default=0)
    return 1 + max(map(_nesting, value), default=0) if isinstance(value, list) else 0


def _json_string(text):
    """Characters that stand for bytes, within quotes."""
    short = {'"': '\\"', "\\": "\\\\", "\b": "\\b", "\f": "\\f", "\n": "\\n", "\r": "\\r", "\t": "\\t"}
    return '"' + "".join(short.get(letter) or ("\\u%04x" % ord(letter) if letter < " " else letter) for letter in text) + '"'


def _json_put_element(step, value):
    form = step.form
    if step.kind == "record":
        return _json_object(value, [(inner.key, inner, None) for inner in step.record._steps])
    if form.json_number or (step.names is not None and not issubclass(step.names, enum.IntFlag) and _word(step, value) is None):
        return '"%s"' % _spelled(step, value) if form.quoted else _spelled(step, value)
    if step.kind == "bool" and form.on is None and form.off is None:
        return "true" if value else "false"
    if step.names is not None and issubclass(step.names, enum.IntFlag):
        return "[" + ",".join(str(word) if isinstance(word, int) else _json_string(word) for word in _flag_words(step, value)) + "]"
    if step.kind == "text":
        return _json_string(value.encode().decode("latin-1"))
    return _json_string(_put_element(step, value))


def _json_object(block, members):
    out = []
    for key, step, constant in members:
        if constant is not None:
            out.append(_json_string(key) + ":" + (str(constant) if isinstance(constant, int) else _json_string(constant)))
            continue
        value = getattr(block, step.name)
        if value is None:
            continue
        items = "[" + ",".join(_json_put_element(step, item) for item in value) + "]" if step.array else _json_put_element(step, value)
        out.append(_json_string(key) + ":" + items)
    return "{" + ",".join(out) + "}"


def _json_number(step, value):
    number = _unspelled(step, value)
    if number is None:
        raise _bad(step)
    return number


def _json_take_element(step, value):
    """A value and the characters of unknown members in it."""
    form = step.form
    if step.kind == "record":
        return _json_read(step.record, [(inner.key, inner, None) for inner in step.record._steps], value)
    is_number, is_escaped = isinstance(value, _Cursor.Number), isinstance(value, _Cursor.Escaped)
    is_text = isinstance(value, str) and not is_number
    is_flags = step.names is not None and issubclass(step.names, enum.IntFlag)
    if form.json_number:
        if is_text if not form.quoted else not is_text:
            raise _bad(step)
        if (not is_number and not is_text) or is_escaped:
            raise _bad(step)
        return _json_number(step, value), 0
    if step.kind == "bool" and form.on is None and form.off is None:
        if not isinstance(value, bool):
            raise _bad(step)
        return value, 0
    if is_flags:
        if not isinstance(value, list) or not all(isinstance(word, str) for word in value):
            raise _bad(step)
        words = [text for text, _ in step.form.words]
        if any(isinstance(word, _Cursor.Escaped) and word not in words for word in value):
            raise _bad(step)
        return _take_flags(step, value), 0
    if step.names is not None and not is_text:
        if form.quoted or not is_number:
            raise _bad(step)
        return _json_number(step, value), 0
    word = value.rstrip(" ") if is_text and form.width else value
    has_digits = (step.kind == "bytes" and not form.base64) or (
        step.names is not None and not any(text == word for text, _ in form.words))
    if not is_text or (is_escaped and has_digits):
        raise _bad(step)
    return _take_element(step, value), 0


def _json_take_value(step, value):
    if not step.array:
        return _json_take_element(step, value)
    if not isinstance(value, list) or len(value) > step.most or (step.extent == "fixed" and len(value) != step.most):
        raise _bad(step)
    items = [_json_take_element(step, item) for item in value]
    return [item for item, _ in items], sum(ignored for _, ignored in items)


def _json_read(kind, members, value):
    if not isinstance(value, tuple):
        raise ProtocolError("%s is no object" % kind.__name__)
    block, seen, ignored = kind.__new__(kind), set(), 0
    for step in kind._steps:
        setattr(block, step.name, _MISSING)
    known = {key: (step, constant) for key, step, constant in members}
    for key, inner, size in value:
        if key not in known:
            if _nesting(inner) > 8:
                raise ProtocolError("%s is nested too deep" % key)
            ignored += size
            continue
        if key in seen:
            raise ProtocolError("%s is there twice" % key)
        seen.add(key)
        step, constant = known[key]
        if constant is not None:
            if not _is_constant(inner, constant):
                raise ProtocolError("%s is another" % key)
        elif inner is not None:
            item, more = _json_take_value(step, inner)
            ignored += more
            setattr(block, step.name, item)
    if any(constant is not None and key not in seen for key, _, constant in members):
        raise ProtocolError("%s lacks what tells it" % kind.__name__)
    return _completed(block), ignored


def _is_integer(text, wanted):
    """Whether characters are a sign and digits of this integer."""
    return re.match(r"[-+]?[0-9]+\Z", text) is not None and int(text) == wanted


def _is_constant(value, wanted):
    """Whether a JSON value is this string or integer."""
    if isinstance(wanted, int):
        return isinstance(value, _Cursor.Number) and _is_integer(value, wanted)
    return isinstance(value, str) and not isinstance(value, _Cursor.Number) and value == wanted


_MISSING = object()


def _completed(block):
    """What was not there takes its default, or is absent."""
    for step in block._steps:
        if getattr(block, step.name) is _MISSING:
            if not step.optional and not step.missing:
                raise ProtocolError("%s lacks %s" % (type(block).__name__, step.name))
            setattr(block, step.name, None if step.optional else step.first())
    return block


class _Written(_Message):
    """A message whose payload is text."""

    LAYOUT: ClassVar[str] = ""  # pattern, pairs or json
    _parts: ClassVar[tuple] = ()  # of a pattern literals, else keys; each with the index of a field or None, and a constant or None
    _assign: ClassVar[str] = ""
    _between: ClassVar[str] = ""

    @classmethod
    def _members(cls):
        return [(key, None if index is None else cls._steps[index], constant) for key, index, constant in cls._parts]

    def _write(self):
        if self.LAYOUT == "json":
            return _json_object(self, self._members())
        out = []
        for key, step, constant in self._members():
            value = getattr(self, step.name) if step else None
            absent = step is not None and value is None
            written = constant if constant is not None else "" if step is None or absent else _put_value(step, value)
            if self.LAYOUT == "pattern":
                out.append(key + (step.form.absent if absent else written))
            elif not absent:
                out.append(key + self._assign + str(written))
        return ("" if self.LAYOUT == "pattern" else self._between).join(out)

    def pack(self) -> bytes:
        """The payload, with its tag. Raises RangeError if a field is outside its type or range, or a receiver would read another value."""
        self.check()
        text = self._write()
        if self.LAYOUT != "json":
            try:
                again, ignored = self._read(text)
            except ProtocolError:
                again, ignored = None, 1
            if ignored or again._write() != text or any(
                    (getattr(again, step.name) is None) != (getattr(self, step.name) is None)
                    or (step.kind == "text" and getattr(again, step.name) != getattr(self, step.name)) for step in self._steps):
                raise RangeError("%s: a receiver would not read these values again: one looks absent, or a text holds what separates it "
                                 "from what follows" % type(self).__name__)
        payload = b"".join(self.TAGS[:1]) + text.encode("latin-1")
        if len(payload) > MAX_PAYLOAD:
            raise RangeError("%s: the payload takes %d bytes; the frame has room for %d" % (type(self).__name__, len(payload), MAX_PAYLOAD))
        self._carried(payload)
        if not self.TAGS and not any(role[0] == "id" for role in _HEADER):
            for kind in MESSAGES.values():
                if (kind.SENDER == self.SENDER or "both" in (kind.SENDER, self.SENDER)) and kind._tag_size(payload) is not None:
                    raise RangeError("%s: the payload begins like %s" % (type(self).__name__, kind.__name__))
        return payload

    @classmethod
    def _read(cls, text):
        """A message, and how many characters of unknown members."""
        if cls.LAYOUT == "json":
            cursor = _Cursor(text)
            value = cursor.value()
            if cursor.peek():
                raise cursor.fail()
            return _json_read(cls, cls._members(), value)
        message = cls.__new__(cls)
        for step in cls._steps:
            setattr(message, step.name, _MISSING)
        ignored = cls._read_pattern(message, text) if cls.LAYOUT == "pattern" else cls._read_pairs(message, text)
        return _completed(message), ignored

    @classmethod
    def _read_pattern(cls, message, text):
        at, members = 0, cls._members()
        for i, (literal, step, _) in enumerate(members):
            if not text.startswith(literal, at):
                raise ProtocolError("%s: expected %r at character %d" % (cls.__name__, literal, at))
            at += len(literal)
            if step is None:
                continue
            stop = members[i + 1][0] if i + 1 < len(members) else ""
            after = at + len(step.form.absent)
            if step.optional and text.startswith(step.form.absent, at) and _find(text, stop, after) == after:
                at = after
                continue
            value, at = _take_value(step, text, at, stop)
            setattr(message, step.name, value)
        if at != len(text):
            raise ProtocolError("%s: there is more than it has" % cls.__name__)
        return 0

    @classmethod
    def _read_pairs(cls, message, text):
        at, ignored, seen, members = 0, 0, set(), cls._members()
        while text:
            whole = _find(text, cls._between, at)
            if cls._assign:
                size = _find(text[at:whole], cls._assign, 0)
                key = text[at:at + size]
                part = next((part for part in members if part[0] == key), None)
            else:
                part = max((part for part in members if text.startswith(part[0], at) and at + len(part[0]) <= whole),
                           key=lambda part: len(part[0]), default=None)
                size = len(part[0]) if part else 0
            value_at, end = at + size + len(cls._assign), whole
            if value_at > whole or at == whole:
                raise ProtocolError("%s: no pair at character %d" % (cls.__name__, at))
            if part is None:
                ignored += whole - at
            elif part[0] in seen:
                raise ProtocolError("%s: %s is there twice" % (cls.__name__, part[0]))
            else:
                seen.add(part[0])
                key, step, constant = part
                if constant is not None:
                    held = text[value_at:whole]
                    if not (_is_integer(held, constant) if isinstance(constant, int) else held == constant):
                        raise ProtocolError("%s: %s is another" % (cls.__name__, key))
                else:
                    value, end = _take_value(step, text, value_at, cls._between)
                    setattr(message, step.name, value)
            if end == len(text):
                break
            if not text.startswith(cls._between, end):
                raise ProtocolError("%s: no %r at character %d" % (cls.__name__, cls._between, end))
            at = end + len(cls._between)
        if any(constant is not None and key not in seen for key, _, constant in members):
            raise ProtocolError("%s lacks what tells it" % cls.__name__)
        return ignored

    @classmethod
    def _fitted(cls, payload):
        return cls._read(bytes(payload[cls._fields_at(payload):]).decode("latin-1"))

    @classmethod
    def _told(cls):
        return any(part[2] is not None for part in cls._parts)
