

# --- the host's end: versions, delivery, variables, console


class Delivery:
    """A message that was sent with a ticket, or a request without one. `settled` is None while it is open; then "delivered", "refused"
    (with `reason`, a number of the service's), "no answer" or "restart". `reply` is the message that answered a request, `lines` are those
    that came before it."""

    def __init__(self, message, done):
        self.message, self.done, self.settled, self.reason, self.reply, self.lines = message, done, None, 0, None, []


class _Query:
    """The request without a ticket that is open, or was given up a moment ago (then `delivery` is settled)."""

    def __init__(self, delivery, to):
        self.delivery, self.to, self.left, self.due = delivery, to, delivery.message.QUERY[0], 0


class _Open:
    def __init__(self, delivery, ticket, now):
        self.delivery, self.ticket, self.due, self.sent, self.reason = delivery, ticket, now + delivery.message.DELIVERY[2], False, 0
        self.left, self.waiting = delivery.message.DELIVERY[1], False


class Peer:
    """A device, as the host follows it: whether it is `up` (heard within the link's timeout) and `known` (the two know each other), and
    the `hello` that it last sent."""

    def __init__(self, address, now):
        self.address, self.up, self.known, self.hello, self.boot = address, False, False, None, 0
        self._heard, self._spoke, self._tries, self._answer, self._ask = now, now, 0, False, True
        self._queue, self._open, self._next, self._sure, self._runs = [], [], 0, 255, 0
        self._sequence, self._seen = None, 0
        self._begin()

    def _begin(self):
        """Starts with no ticket taken from the device; its first is below 128."""
        self._newest, self._earlier, self._owing, self._refused, self._answers = 255, 255, False, None, {}

    def match(self) -> str:
        """How the device's definition compares with this one, and which end must be updated."""
        hello = self.hello
        if hello is None:
            return "the device has not said which definition it was built from"
        if hello.major != VERSION[0]:
            return "the device speaks version %d.%d and this host %d.%d: the %s is outdated and must be updated" % (
                hello.major, hello.minor, *VERSION, "device" if hello.major < VERSION[0] else "host")
        if hello.minor != VERSION[1]:
            return "the device speaks version %d.%d and this host %d.%d: they work together, but what is new in the %s is not used" % (
                hello.major, hello.minor, *VERSION, "host" if hello.minor < VERSION[1] else "device")
        if hello.fingerprint != FINGERPRINT:
            return ("the device speaks version %d.%d, too, but was built from another definition (fingerprint %08x, here %08x): one of "
                    "the two is outdated; zeugma compare shows what differs" % (*VERSION, hello.fingerprint, FINGERPRINT))
        return "both ends were built from the same definition"


class Host:
    """The host's end of a link. `write` takes bytes to send; `clock` gives seconds. Call feed() with what arrives, then poll(), often;
    nothing waits. on(Message, handler) wants a message: handler(message, frame). on("link", handler) wants handler(peer, event), where event is
    "up", "down", "met" or "restarted"; on("console", handler) receives the console's text as bytes."""

    def __init__(self, write, clock, boot: int, devices=(0,)):
        if not 1 <= boot <= 0xFFFF:
            raise RangeError("boot: %r; expected another number at each start, from 1 to 65535" % boot)
        self.receiver, self.peers = Receiver(), {address: Peer(address, clock()) for address in devices}
        self.counters = dict.fromkeys(("frames_out", "bytes_out", "not_for_us", "lost", "repeated", "late", "restarts", "resent",
                                       "given_up", "refused"), 0)
        self._write, self._clock, self._boot, self._handlers = write, clock, boot, {}
        self._sequence, self._heard, self._waiting = 0, clock() - _TURN, 0
        self._outbox, self._left, self._asked, self._asked_until = [], clock() - _GAP, None, 0  # what was sent leaves at _left
        self._query, self._queries = None, []  # open, and waiting for their turn
        self.traffic = Traffic() if _TRAFFIC else None
        self.held_back = 0.25  # seconds that the operating system may hold bytes back, beyond the line's own silence
        self.receiver.text = lambda data: self._report("console", data)

    def on(self, what, handler):
        self._handlers[what] = handler

    def feed(self, data: bytes):
        """Takes bytes that arrived."""
        if data:
            self._heard, self._waiting = self._clock(), 2
        for frame in self.receiver.feed(data):
            self._take(frame)

    def send(self, message, to: int = 0, done=None):
        """Sends a message, or keeps it until the line is free. One with a ticket is kept until it is settled, and waits where its window is
        full, as does a request without a ticket while another is open; its Delivery is returned, and done(delivery) called when it ends. `to` is a device's address on a shared line, or all ones for
        everybody."""
        if message.QUERY:
            message.pack()  # raises now what cannot be sent
            self._queries.append(_Query(Delivery(message, done), to))
            return self._queries[-1].delivery
        if not message.DELIVERY:
            self._send_or_keep(message, to)
            return None
        if to not in self.peers:
            raise RangeError("to: %r is no device of this host; expected one of %s" % (to, ", ".join(map(str, self.peers))))
        message.pack()  # raises now what cannot be sent
        delivery = Delivery(message, done)
        self.peers[to]._queue.append(delivery)
        return delivery

    def reply(self, message, frame):
        """Answers a request; it is sent again when the request comes again."""
        peer = self._peer(frame)
        peer._answers[frame.header["ticket"]] = (message, True)

    def begin_traffic(self, request, to: int = 0):
        """Begins test traffic, or stops it, as a TrafficRequest says: sends it, and does this host's part, `traffic`."""
        self._send_or_keep(request, to)
        self.traffic._ask(request, to, self._clock())

    def poll(self):
        """Does what is due."""
        now = self._clock()
        if self._waiting and BYTE_TIMEOUT and now - self._heard >= BYTE_TIMEOUT + self.held_back:
            self._waiting -= 1  # the first poll that finds silence may be late itself, and bytes wait to be read
            for frame in () if self._waiting else self.receiver.pause():
                self._take(frame)
        for peer in self.peers.values():
            if LINK_TIMEOUT and peer.up and now - peer._heard >= LINK_TIMEOUT:
                peer.up = False
                self._report("link", peer, "down")
            if _HELLO:
                self._poll_hello(peer, now)
            if _ACKNOWLEDGE:
                self._poll_delivery(peer, now)
        self._poll_query(now)
        while self._outbox and self._transmit(*self._outbox[0]):
            self._outbox.pop(0)
        for _ in range(64):  # at most; a period of 0 has no end by itself, because a host's system takes all
            if not _TRAFFIC or not self.traffic._is_due(now) or not self._transmit(self.traffic._next(), self.traffic.to):
                break
            self.traffic._sent()

    # --- private

    def _report(self, what, *arguments):
        if what in self._handlers:
            self._handlers[what](*arguments)

    def _send_or_keep(self, message, to):
        if self._outbox or not self._transmit(message, to):
            message.pack()  # raises now what cannot be sent
            self._outbox.append((message, to))

    def _poll_query(self, now):
        """Begins the next request without a ticket, or ends the time of the one that is open."""
        query = self._query
        if query is None:
            if self._queries and self._transmit(self._queries[0].delivery.message, self._queries[0].to):
                self._begin_query(self._queries.pop(0))
        elif now < query.due:
            pass
        elif query.delivery.settled:  # what was late is not expected any more
            self._query, self.receiver.expected = None, ()
        elif query.left == 0:
            self.counters["given_up"] += 1
            query.due = now + query.delivery.message.QUERY[1]
            self._end(query, "no answer")
        elif self._transmit(query.delivery.message, query.to):
            query.left -= 1
            self.counters["resent"] += 1
            self._begin_query(query)

    def _begin_query(self, query):
        self._query, query.due = query, self._left + query.delivery.message.QUERY[1]
        self.receiver.expected = sum(query.delivery.message.QUERY[2:], ())
        if query.to in self.peers:
            self._await(self.peers[query.to], query.delivery.message.QUERY[1])

    def _hear_answer(self, message):
        """What a message is to the request without a ticket. False: too late, it is not to be reported."""
        query = self._query
        replies, lines = query.delivery.message.QUERY[2:] if query else ((), ())
        kind = type(message).__name__
        if kind not in replies and kind not in lines:
            return True
        if query.delivery.settled:
            self.counters["late"] += 1
            return False
        if kind in replies:
            self._query, self.receiver.expected, query.delivery.reply = None, (), message
            self._end(query, "delivered")
        else:
            query.delivery.lines.append(message)
            query.left, query.due = 0, self._clock() + query.delivery.message.QUERY[1]
        return True

    def _may_begin(self):
        """Whether the silence that is due before a frame has passed, and no device is to answer."""
        now = self._clock()
        if not _GAP:
            return True
        if now - self._left < _GAP or now - self._heard < _TURN:
            return False
        if self._asked is not None and now < self._asked_until:
            return False
        self._asked = None
        return True

    def _await(self, peer, seconds):
        """Half duplex: the frame that was just sent asks a device, and others wait for its answer: a PC's times are too coarse to be in
        front of it."""
        if _TURN:
            self._asked, self._asked_until = peer.address, self._left + seconds

    def _spread(self, seconds):
        """Half duplex: two that sent at once must not do so again after the same time."""
        return seconds * ((self._boot * (2 * self._sequence + 1) & 0xFFFF) >> 10) / 64 if _TURN else 0

    def _transmit(self, message, to, **roles):
        """Sends it if the line allows."""
        if not self._may_begin():
            return False
        header = {name: value for name, value in (("destination", to), ("source", 0), ("node", to)) if name in _ROLE_BITS}
        data = encode(message, self._sequence & (1 << _ROLE_BITS.get("sequence", 0)) - 1, **header, **roles)
        self._sequence += 1
        self.counters["frames_out"] += 1
        self.counters["bytes_out"] += len(data)
        self._left = self._clock() + len(data) * _BYTE
        self._write(data)
        if type(message).__name__ in ("EchoRequest", "CountersRequest", "TrafficRequest") and to in self.peers:
            self._await(self.peers[to], _ANSWER)
        return True

    def _peer(self, frame):
        address = frame.header.get("node", frame.header.get("source"))
        return next(iter(self.peers.values())) if address is None else self.peers.get(address)

    def _note_sequence(self, peer, number):
        """Counts what a frame's number says; returns what to undo if its sender restarted."""
        if "sequence" not in _ROLE_BITS:
            return {}
        mask = (1 << _ROLE_BITS["sequence"]) - 1
        if peer._sequence is None:
            peer._sequence, peer._seen = number, 0xFFFF
            return {}
        ahead, back, counted = number - peer._sequence & mask, peer._sequence - number & mask, {}
        if ahead == 0:
            counted = {"repeated": 1}
        elif ahead <= mask // 2 + 1:
            counted = {"lost": ahead - 1}
            peer._sequence, peer._seen = number, (peer._seen << min(ahead, 16) | 1) & 0xFFFF
        elif back > 15 or not peer._seen >> back & 1:
            counted = {"late": 1}
            peer._seen |= 1 << back if back < 16 else 0
        else:
            counted = {"repeated": 1}
        for name, count in counted.items():
            self.counters[name] += count
        return counted

    def _take(self, frame):
        header, message, now = frame.header, frame.message, self._clock()
        peer = self._peer(frame)
        counted = self._note_sequence(peer, header.get("sequence", 0)) if peer else {}
        if peer:
            peer._heard = now
            if peer.address == self._asked:
                self._asked = None
            if LINK_TIMEOUT and not peer.up:
                peer.up = True
                self._report("link", peer, "up")
        if "destination" in _ROLE_BITS and header["destination"] not in (0, (1 << _ROLE_BITS["destination"]) - 1):
            self.counters["not_for_us"] += 1
            return
        kind = type(message)
        if _HELLO and kind is _HELLO and peer:
            self._take_hello(peer, message, counted)
            self._report(kind, message, frame)
        elif _ACKNOWLEDGE and kind is _ACKNOWLEDGE and peer:
            taken = message.earlier << 1 | 1
            for item in list(peer._open):
                back = message.ticket - item.ticket & 0xFF
                if item.sent and back <= 8 and taken >> back & 1 and not item.delivery.message.DELIVERY[4]:
                    self._settle(peer, item, "delivered")
        elif _REFUSED and kind is _REFUSED and peer:
            self._take_refused(peer, message)
        elif kind.TICKET_SIZE:
            self._take_ticketed(peer, message, frame)
        elif _TRAFFIC and kind is _TRAFFIC:
            self.traffic._take(message)
        elif kind.__name__ == "EchoRequest" and _ECHO_REPLY:
            self._send_or_keep(_ECHO_REPLY(message.data), header.get("source", 0))
        elif _CONSOLE and kind is _CONSOLE:
            self._report("console", message.text)
        elif self._hear_answer(message):
            self._report(kind, message, frame)

    def _take_hello(self, peer, message, counted):
        peer.hello = message
        news = message.boot != peer.boot
        restarted = news and peer.boot != 0
        if news:
            peer.boot, peer.known, peer._tries = message.boot, False, 0
        if message.peer == self._number(peer):
            peer.known, peer._ask = True, False
        if news or message.peer != self._number(peer):
            peer._answer = True
        if restarted:
            self.counters["restarts"] += 1
            for name, count in counted.items():
                self.counters[name] -= count
            peer._begin()
            failed, peer._open, peer._next, peer._sure = peer._open, [], 0, 255
            for item in failed:
                self._end(item, "restart")
        if news:
            self._report("link", peer, "restarted" if restarted else "met")

    def _poll_hello(self, peer, now):
        shared = "destination" in _ROLE_BITS
        spoke = max(peer._spoke, peer._heard) if shared and peer.up else peer._spoke
        asks = peer._ask
        if not peer._answer and not asks:
            wait = KEEPALIVE if peer.known else HELLO_WAIT * 2**peer._tries
            if not wait or now - spoke < wait + self._spread(HELLO_WAIT):
                return
            asks = not peer.known or shared
        number = peer.boot if peer._answer or not asks else 0
        hello = _HELLO(VERSION[0], VERSION[1], FINGERPRINT, MAX_PAYLOAD, self._number(peer), number, "")
        if not self._transmit(hello, peer.address):
            return
        peer._spoke = now
        if peer._answer:
            peer._answer = False
            return
        peer._ask = False
        if asks:
            self._await(peer, HELLO_WAIT)
        if asks and not peer.known:
            peer._tries = min(peer._tries + 1, 5)

    def _end(self, item, how, reason=0):
        item.delivery.settled, item.delivery.reason = how, reason
        if item.delivery.done:
            item.delivery.done(item.delivery)

    def _number(self, peer):
        """This host's boot number as its peer is to know it."""
        return self._boot + peer._runs * 0x6D3B & 0xFFFF or 1

    def _renew(self, peer):
        """A hundred messages in a row were not taken: starts afresh, before a ticket comes round that the device would mistake for an old one."""
        peer._begin()
        peer._next, peer._sure = 0, 255
        if peer.known:
            peer.known, peer._runs, peer._tries, peer._answer = False, peer._runs + 1, 0, True
            self._report("link", peer, "restarted")

    def _settle(self, peer, item, how, reason=0):
        peer._open.remove(item)
        if how == "delivered" and item.ticket - peer._sure & 0xFF < 128:
            peer._sure = item.ticket
        self._end(item, how, reason)

    def _take_refused(self, peer, message):
        for item in list(peer._open):
            if item.sent and item.ticket == message.ticket and message.reason:
                self.counters["refused"] += 1
                if message.reason == 1:  # may speak of a message without tickets that looks like this one
                    item.reason = 1
                else:
                    self._settle(peer, item, "refused", message.reason)

    def _is_taken(self, peer, ticket):
        back = peer._newest - ticket & 0xFF
        return back < 128 and (back == 0 or back > 8 or peer._earlier >> (back - 1) & 1)

    def _take_ticketed(self, peer, message, frame):
        ticket, kind = frame.header["ticket"], type(message)
        if peer is None:
            return
        if not kind.DELIVERY:  # a reply
            asked = [item for item in peer._open if item.sent and item.ticket == ticket and kind.__name__ in item.delivery.message.DELIVERY[4]]
            for item in asked:
                item.delivery.reply = message
                self._settle(peer, item, "delivered")
            if asked or _VARIABLE_VALUE and kind is _VARIABLE_VALUE:
                self._report(kind, message, frame)
                self._report_variable(message, frame)
            return
        if not peer.known:
            peer._ask = True
            return
        request = kind.DELIVERY[4]
        if self._is_taken(peer, ticket):
            if not request:
                peer._owing = True
            elif ticket in peer._answers:
                peer._answers[ticket] = (peer._answers[ticket][0], True)
            return
        before = frame.header.get("base", ticket)
        while before != ticket and ticket - before & 0xFF < 128:
            if not self._is_taken(peer, before):
                return
            before = before + 1 & 0xFF
        if kind not in self._handlers:
            peer._refused = (ticket, 1)
            return
        back = peer._newest - ticket & 0xFF
        if back < 128:
            peer._earlier |= 1 << (back - 1)
        else:
            peer._earlier = (peer._earlier << 1 | 1) << (255 - back) & 0xFF
            peer._newest = ticket
        peer._answers = {number: answer for number, answer in peer._answers.items() if ticket - number & 0xFF < 16}
        peer._answers.pop(ticket, None)
        peer._owing = peer._owing or not request
        self._report(kind, message, frame)

    def _report_variable(self, message, frame):
        kind = VARIABLES.get(message.index) if _VARIABLE_VALUE and isinstance(message, _VARIABLE_VALUE) else None
        if kind in self._handlers:
            try:
                self._report(kind, kind.unpack(message.value), frame)
            except ProtocolError:
                self.receiver.counters["bad_payload"] += 1

    def _poll_delivery(self, peer, now):
        for ticket, (message, due) in list(peer._answers.items()):
            base = {"base": ticket} if message.TICKET_SIZE > 1 else {}
            if due and self._transmit(message, peer.address, ticket=ticket, **base):
                peer._answers[ticket] = (message, False)
        if peer._refused and self._transmit(_REFUSED(*peer._refused), peer.address):
            peer._refused = None
        if peer._owing and self._transmit(_ACKNOWLEDGE(peer._newest, peer._earlier), peer.address):
            peer._owing = False
        if peer._next - peer._sure & 0xFF > 100 and not peer._open:
            self._renew(peer)
        base = min((item.ticket for item in peer._open), key=lambda number: number - peer._next & 0xFF, default=peer._next)
        while peer._queue and peer._next - base & 0xFF < _WINDOW and peer._next - peer._sure & 0xFF <= 100:
            kind = type(peer._queue[0].message)
            if sum(type(item.delivery.message) is kind for item in peer._open) >= kind.DELIVERY[0]:
                break
            peer._open.append(_Open(peer._queue.pop(0), peer._next, now))
            base = base if len(peer._open) > 1 else peer._next
            peer._next = peer._next + 1 & 0xFF
        for item in list(peer._open):
            self._poll_open(peer, item, base, now)

    def _poll_open(self, peer, item, base, now):
        if not item.waiting and peer.known:
            message = item.delivery.message
            if not self._transmit(message, peer.address, ticket=item.ticket, **({"base": base} if message.TICKET_SIZE > 1 else {})):
                return  # the line is taken: its time does not run
            self._await(peer, message.DELIVERY[2])
            self.counters["resent"] += item.sent
            item.sent = item.waiting = True
            item.due = self._left + message.DELIVERY[2] + self._spread(message.DELIVERY[2] / 4)
            peer._spoke = now
        elif now >= item.due:
            if item.left == 0:
                self.counters["given_up"] += 1
                self._settle(peer, item, "refused" if item.reason else "no answer", item.reason)
                return
            item.left -= 1
            item.due = now + item.delivery.message.DELIVERY[2]
            item.waiting = False
