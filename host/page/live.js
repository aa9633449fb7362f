// The live page: draws what the link's end tells over a WebSocket, and asks it for more. Everything that came from a
// device is set as text, never as markup.
"use strict";
(() => {
const { $, make, setText, digits, style } = Page;
const LOG_LINES = 600, STORE_MOST = 60000, CHOSEN_MOST = 16;
let link, about, chosen = 0, asked = 0, number = 0, now = 0, first = Infinity;
const waiting = new Map();  // what was asked for, by its number: what to do with the answer
const rows = new Map();     // of the table, by device, message, direction and source
const panels = new Map();   // of plots, by the series' name
const damages = [];         // when bytes were skipped, s
const view = { span: 30, from: null, to: null, cursor: null }; // from null: it follows the link

const device = () => about.devices[chosen]; // to which is sent, and whose console is shown
const titleOf = each => `${each.name || each.protocol} ${each.version}`;

// --- the link's end

const ask = (what, then) => {
    const id = ++asked;
    if (then) waiting.set(id, then);
    if (link.send({ ...what, number: id })) return;
    waiting.delete(id);
    then?.(false, "zeugma cannot be reached");
};

const lost = () => {
    for (const then of waiting.values()) then(false, "zeugma cannot be reached");
    waiting.clear();
};

const take = message => {
    if (message.kind === "about") begin(message);
    else if (!about) return;
    else if (message.kind === "update") update(message);
    else if (message.kind === "series") takeSeries(message);
    else if (message.kind === "answer") {
        const then = waiting.get(message.asked);
        waiting.delete(message.asked);
        then?.(message.good, message.text);
    }
};

const begin = message => {
    for (const name of panels.keys()) ask({ ask: "series", name, most: 20000 });
    follow();
    if (JSON.stringify(message) === JSON.stringify(about)) return; // updates were lost, and all comes anew
    about = message;
    document.title = about.devices.map(each => `${each.name || each.protocol} - ${each.link}`).join(", ");
    buildHeads();
    $("device").replaceChildren(...about.devices.map((each, i) => make("option", { value: i, textContent: each.name })));
    $("device-label").hidden = about.devices.length < 2;
    const none = about.answers ? "" : "Nothing is sent: watch was started without --answer.";
    for (const id of ["console-line", "send-message", "read-all"]) $(id).disabled = !about.answers;
    for (const id of ["console-form", "send-form"]) $(id).querySelector("button").disabled = !about.answers;
    if (none) for (const id of ["console-result", "send-result", "variable-result"]) setText($(id), none);
    $("send-to").value = about.to;
    chooseDevice(0);
};

const chooseDevice = number => {
    chosen = number;
    buildSend();
    buildVariables();
    $("tab-console").hidden = !device().console;
    $("tab-variables").hidden = device().variables.length === 0;
    $("send-to-label").hidden = !device().shared;
    showConsole();
    const open = tabs.find(tab => tab.getAttribute("aria-selected") === "true");
    if (open.hidden) select(tabs[0]);
};
$("device").addEventListener("change", () => chooseDevice(Number($("device").value)));

const update = message => {
    if (!message.all && number > 0 && message.number !== number + 1) showOmitted("some updates were lost on the way here");
    number = message.number;
    if (message.all) for (const id of ["log", "event-log"]) $(id).replaceChildren();
    now = message.at;
    message.states.forEach(showState);
    for (const row of message.rows) showRow(row);
    for (const series of message.series ?? []) extend(series);
    damages.push(...message.damages ?? []);
    if (damages.length > 4000) damages.splice(0, 2000);
    addLines(message);
    addConsole(message);
    for (const event of message.events ?? []) addEvent(event);
    schedule();
};

// --- state

const STATES = { "link up": "\u25CF", "link down": "\u25B2", "port gone": "\u25A0", "nothing heard yet": "\u25CB" };

let heads = []; // of each device: its elements in the page's head
const buildHeads = () => {
    for (const head of heads.slice(1)) head.whole.remove();
    heads = about.devices.map((each, i) => {
        const head = i === 0 ? { title: $("protocol"), where: $("where"), state: $("state"), counters: $("counters") }
            : { title: make("h2", {}), where: make("p", { className: "where" }), state: make("p", { role: "status" }), counters: make("p", { className: "counters" }) };
        if (i > 0) {
            head.whole = make("div", { className: "device" }, head.title, head.where, head.state, head.counters);
            $("newest").before(head.whole);
        }
        setText(head.title, titleOf(each));
        return head;
    });
};

const showState = (state, i) => {
    const head = heads[i];
    setText(head.where, about.devices[i].link + (state.baud ? `, ${state.baud} baud` : ""));
    setText(head.state, `${STATES[state.link] ?? ""} ${state.link}`);
    head.state.className = state.up ? "state good" : "state bad";
    const line = state.line ? `; line: framing ${state.line.framing}, parity ${state.line.parity}, overrun ` +
        `${state.line.overrun}, break ${state.line.break}` : "";
    setText(head.counters, `${state.frames} frames, ${digits(state.frames_per_s, 3)}/s, ${digits(state.bytes_per_s, 3)} ` +
        `bytes/s; lost ${state.lost}, repeated ${state.repeated}, late ${state.late}, failed ${state.failed}, noise ` +
        `${state.noise_bytes} bytes${line}`);
};

const addEvent = event => {
    setText($("newest"), `${event.at.toFixed(3)} s: ${event.text}`);
    append($("event-log"), [make("div", { textContent: `${event.at.toFixed(6).padStart(13)}  ${event.text}` })]);
};

// --- the table

const seriesName = (row, field) => {
    const { name, shared } = about.devices[row.device], source = shared ? String(row.source) : "";
    return [name, source].filter(Boolean).join(" ") + (name || source ? ": " : "") + `${row.message}.${field.name}`;
};

const buildRow = (row, message) => {
    const { name, shared, messages } = about.devices[row.device];
    const title = (name ? `${name}: ` : "") + row.message + (row.out ? " \u2192 sent" : shared ? ` from ${row.source}` : "");
    const built = { head: make("span", { className: "quiet" }), cells: new Map() };
    const body = make("tbody", {});
    for (const [index] of row.values) {
        const field = message.fields[index];
        const value = make("td", {}), extremes = make("td", {});
        const single = ["number", "bool", "named"].includes(field.kind) && !field.flags, plottable = single && !row.out;
        const label = make("label", { title: field.summary ?? "" });
        if (plottable) {
            const name = seriesName(row, field);
            const box = make("input", { type: "checkbox", checked: panels.has(name), ariaLabel: `Plot ${name}` });
            box.addEventListener("change", () => choose(name, field, box.checked));
            label.append(box);
            built.boxes = (built.boxes ?? []).concat({ name, field, box });
        }
        label.append(field.name);
        if (!single) value.colSpan = 3;
        body.append(make("tr", {}, make("td", {}, label), value,
            ...(single ? [make("td", { className: "quiet", textContent: field.unit ?? "" }), extremes] : [])));
        built.cells.set(index, { value, extremes, field });
    }
    built.element = make("div", { className: "message" }, make("h3", { textContent: title }), built.head, make("table", {}, body));
    // In the order of the devices and their definitions.
    const place = row.device * 10000 + messages.indexOf(message);
    const after = [...rows.values()].filter(other => other.place > place).reduce((least, other) => least && least.place <= other.place ? least : other, null);
    built.place = place;
    $("rows").insertBefore(built.element, after?.element ?? null);
    $("latest-empty").hidden = true;
    return built;
};

const showRow = row => {
    const key = `${row.device} ${row.message} ${row.out} ${row.source}`;
    const message = about.devices[row.device].messages.find(each => each.name === row.message);
    if (!rows.has(key)) {
        rows.set(key, buildRow(row, message));
        const boxes = rows.get(key).boxes ?? []; // what is measured rather than what is counted
        const box = boxes.find(each => each.field.kind === "number" && each.field.unit) ?? boxes.find(each => each.field.kind === "number");
        if (panels.size === 0 && !message.service && box) {
            box.box.checked = true;
            choose(box.name, box.field, true);
        }
    }
    const built = rows.get(key);
    built.at = row.at;
    built.count = row.count;
    built.rate = row.per_s;
    for (const [index, text, marked, least, greatest] of row.values) {
        const cell = built.cells.get(index);
        setText(cell.value, text + (marked ? " !" : ""));
        cell.value.className = (marked ? "marked" : "") + (cell.value.colSpan > 1 ? " long" : "");
        if (least !== undefined && cell.field.kind === "number") setText(cell.extremes, `${digits(least, 4)} to ${digits(greatest, 4)}`);
    }
};

const showAges = () => {
    for (const row of rows.values()) {
        const age = Math.max(now - row.at, 0), rate = row.rate > 0 && age < 20 / row.rate ? `, ${digits(row.rate, 3)}/s` : "";
        setText(row.head, `${row.count} ${row.count === 1 ? "time" : "times"}${rate}, ${age.toFixed(age < 10 ? 1 : 0)} s ago`);
    }
};

// --- plots: spans of [from, to, least, greatest, after a gap], in s

const newestOf = spans => spans.length ? spans[spans.length - 1][1] : -Infinity;

const follow = () => ask({ ask: "follow", names: [...panels.keys()] });

const choose = (name, field, chosen) => {
    if (!chosen) {
        panels.get(name)?.chart?.destroy();
        panels.get(name)?.element.remove();
        panels.delete(name);
    } else if (!panels.has(name) && panels.size < CHOSEN_MOST) {
        panels.set(name, buildPanel(name, field));
        follow();
        ask({ ask: "series", name, most: 20000 });
        return;
    }
    follow();
    schedule();
    $("plots-empty").hidden = panels.size > 0;
};

const takeSeries = message => {
    const panel = panels.get(message.name);
    if (!panel) return;
    if (message.asked === panel.detailAsked) {
        panel.detail = { from: panel.detailFrom, to: panel.detailTo, spans: message.spans };
    } else {
        const later = panel.store.filter(span => span[0] > newestOf(message.spans));
        panel.store = message.spans.concat(later);
    }
    if (panel.store.length) first = Math.min(first, panel.store[0][0]);
    schedule();
};

const extend = series => {
    const panel = panels.get(series.name);
    if (!panel) return;
    const newest = newestOf(panel.store);
    for (const span of series.spans) if (span[0] > newest) panel.store.push(span);
    if (panel.store.length > STORE_MOST) panel.store = coarsened(panel.store);
    if (panel.store.length) first = Math.min(first, panel.store[0][0]);
};

// The older half in fours.
const coarsened = spans => {
    const half = spans.length >> 1, merged = [];
    for (let i = 0; i < half; i += 4) {
        const last = Math.min(i + 4, half) - 1;
        const span = [spans[i][0], spans[last][1], spans[i][2], spans[i][3], spans[i][4]];
        for (let k = i + 1; k <= last; k++) {
            span[2] = Math.min(span[2], spans[k][2]);
            span[3] = Math.max(span[3], spans[k][3]);
        }
        merged.push(span);
    }
    return merged.concat(spans.slice(half));
};

const range = () => {
    if (view.from !== null) return [view.from, view.to];
    const from = view.span > 0 ? Math.max(now - view.span, 0) : Math.min(first, now - 1);
    return [from, Math.max(now, from + 1)];
};

const find = (spans, time) => { // the first that ends at this time or later
    let low = 0, high = spans.length;
    while (low < high) {
        const middle = (low + high) >> 1;
        if (spans[middle][1] < time) low = middle + 1;
        else high = middle;
    }
    return low;
};

// Points for a chart of so many columns: where there are more spans, the least and the greatest of each column.
const pointsOf = (spans, from, to, columns) => {
    const begin = Math.max(find(spans, from) - 1, 0), end = Math.min(find(spans, to) + 1, spans.length), points = [];
    const width = (to - from) / columns, every = end - begin > 2 * columns;
    let least = Infinity, greatest = -Infinity;
    for (let i = begin; i < end;) {
        const span = spans[i];
        let low = span[2], high = span[3], last = i + 1;
        if (every) {
            const limit = span[0] + width;
            while (last < end && spans[last][1] < limit && !spans[last][4]) {
                if (spans[last][2] < low) low = spans[last][2];
                if (spans[last][3] > high) high = spans[last][3];
                last++;
            }
        }
        if (span[4] && points.length) points.push({ x: span[0], y: NaN });
        points.push({ x: span[0], y: low });
        if (high !== low || last > i + 1) points.push({ x: spans[last - 1][1], y: high });
        if (low < least) least = low;
        if (high > greatest) greatest = high;
        i = last;
    }
    return { points, least, greatest, count: end - begin };
};

const spansOf = (panel, from, to) => {
    const detail = panel.detail;
    return detail && view.from !== null && detail.from <= from && detail.to >= to ? detail.spans : panel.store;
};

const overlay = {
    id: "overlay",
    afterDatasetsDraw(chart, _, options) {
        const { ctx, chartArea: area, scales: { x, y } } = chart, panel = options.panel();
        if (!panel) return;
        ctx.save();
        ctx.beginPath();
        ctx.rect(area.left, area.top - 6, area.width, area.height + 6);
        ctx.clip();
        ctx.strokeStyle = style("--limit");
        ctx.setLineDash([6, 4]);
        for (const limit of panel.field.limits ?? []) {
            const at = y.getPixelForValue(limit);
            ctx.strokeRect(area.left, at, area.width, 0);
        }
        ctx.setLineDash([]);
        ctx.fillStyle = style("--bad");
        for (const time of damages) {
            if (time < x.min || time > x.max) continue;
            const at = x.getPixelForValue(time);
            ctx.beginPath();
            ctx.moveTo(at - 4, area.top - 6);
            ctx.lineTo(at + 4, area.top - 6);
            ctx.lineTo(at, area.top + 2);
            ctx.fill();
        }
        if (view.cursor !== null) {
            ctx.strokeStyle = style("--ink");
            const at = x.getPixelForValue(view.cursor);
            ctx.strokeRect(at, area.top, 0, area.height);
        }
        ctx.restore();
    },
};

const buildPanel = (name, field) => {
    const canvas = make("canvas", { tabIndex: 0 });
    const panel = { name, field, store: [], canvas, read: make("span", { className: "read" }), table: make("tbody", {}) };
    const close = make("button", { type: "button", textContent: "Close", ariaLabel: `Close the plot of ${name}` });
    canvas.setAttribute("role", "img");
    close.addEventListener("click", () => {
        for (const row of rows.values()) for (const box of row.boxes ?? []) if (box.name === name) box.box.checked = false;
        choose(name, field, false);
        $("plots-empty").hidden = panels.size > 0;
    });
    panel.details = make("details", {}, make("summary", { textContent: "As a table" }),
        make("div", { className: "wide" }, make("table", {}, make("thead", {}, make("tr", {}, ...["from, s", "to, s", "least", "greatest"]
            .map(text => make("th", { textContent: text })))), panel.table)));
    panel.details.addEventListener("toggle", () => { panel.told = 0; schedule(); });
    panel.element = make("div", { className: "panel" }, make("div", { className: "head" },
        make("b", { textContent: name + (field.unit ? `, ${field.unit}` : "") }), panel.read, close),
        make("div", { className: "chart" }, canvas), panel.details);
    $("panels").append(panel.element);
    $("plots-empty").hidden = true;
    if (window.Chart) panel.chart = new Chart(canvas, {
        type: "line",
        data: { datasets: [{ data: [], borderWidth: 1.5, pointRadius: 0, spanGaps: false, tension: 0, stepped: isNamed(field) }] },
        options: {
            animation: false, parsing: false, normalized: true, responsive: true, maintainAspectRatio: false, events: [],
            layout: { padding: { top: 6 } },
            scales: {
                x: { type: "linear", min: 0, max: 1, ticks: { maxTicksLimit: 8, maxRotation: 0, includeBounds: false, callback: value => `${digits(value)} s` } },
                y: { ticks: { maxTicksLimit: isNamed(field) ? 9 : 5, stepSize: isNamed(field) ? 1 : undefined, callback: nameOf(field) }, afterFit: scale => { scale.width = [...panels.values()].some(each => isNamed(each.field)) ? 92 : 64; } },
            },
            plugins: { legend: { display: false }, tooltip: { enabled: false }, decimation: { enabled: false },
                       overlay: { panel: () => panel } },
        },
        plugins: [overlay],
    });
    listen(canvas, panel);
    return panel;
};

// Enumerations and booleans have names in the place of numbers.
const isNamed = field => field.kind === "bool" || (field.kind === "named" && !field.flags);
const nameOf = field => value => {
    if (!isNamed(field)) return digits(value);
    return (field.kind === "bool" ? ["false", "true"][value] : field.names[field.codes.indexOf(value)]) ?? (Number.isInteger(value) ? digits(value) : "");
};

const drawPanel = (panel, from, to, slowly) => {
    const columns = Math.max(panel.canvas.clientWidth / 2, 200);
    const spans = spansOf(panel, from, to), drawn = pointsOf(spans, from, to, columns);
    const nearest = view.cursor === null ? null : spans[Math.min(find(spans, view.cursor), spans.length - 1)];
    const unit = panel.field.unit ? ` ${panel.field.unit}` : "";
    const name = nameOf(panel.field), both = (least, greatest) => least === greatest ? name(least) : `${name(least)} to ${name(greatest)}`;
    setText(panel.read, nearest ? `at ${nearest[0].toFixed(6)} s: ${both(nearest[2], nearest[3])}${unit}`
        : drawn.count ? `${both(drawn.least, drawn.greatest)}${unit} here` : "no value here");
    if (panel.chart) {
        const chart = panel.chart, data = chart.data.datasets[0];
        data.data = drawn.points;
        data.borderColor = style("--curve");
        data.borderWidth = drawn.points.length > columns ? 1 : 1.5;
        data.pointBackgroundColor = style("--curve");
        data.pointRadius = drawn.points.length < 80 ? 2 : 0;
        chart.options.scales.x.min = from;
        chart.options.scales.x.max = to;
        for (const axis of Object.values(chart.options.scales)) {
            axis.ticks.color = style("--quiet");
            axis.grid = { color: style("--line"), borderColor: style("--edge") };
        }
        chart.update("none");
    }
    if (slowly) {
        panel.canvas.setAttribute("aria-label", `${panel.name}${unit ? `,${unit}` : ""}: ${panel.read.textContent}, from ` +
            `${from.toFixed(1)} s to ${to.toFixed(1)} s`);
        if (panel.details.open) tabulate(panel, spans, from, to);
    }
};

// Twelve stretches of the time that is shown.
const tabulate = (panel, spans, from, to) => {
    const lines = [];
    for (let i = 0; i < 12; i++) {
        const begin = from + (to - from) * i / 12, end = from + (to - from) * (i + 1) / 12;
        const part = spans.slice(find(spans, begin), find(spans, end));
        if (!part.length) continue;
        const cells = [begin.toFixed(3), end.toFixed(3), digits(Math.min(...part.map(span => span[2]))),
                       digits(Math.max(...part.map(span => span[3])))];
        lines.push(make("tr", {}, ...cells.map(text => make("td", { textContent: text }))));
    }
    panel.table.replaceChildren(...lines);
};

let scheduled = false, slow = 0;
const schedule = () => {
    if (scheduled) return;
    scheduled = true;
    requestAnimationFrame(draw);
};
const draw = time => {
    const slowly = time - slow > 500;
    scheduled = false;
    if (slowly) {
        slow = time;
        showAges();
    }
    if (view.held && view.from === null) [view.from, view.to] = range();
    const [from, to] = range();
    for (const panel of panels.values()) drawPanel(panel, from, to, slowly);
    document.documentElement.dataset.draws = Number(document.documentElement.dataset.draws ?? 0) + 1;
};

// --- where the plots look

const setView = (from, to) => {
    const least = 1e-4, width = Math.max(to - from, least), middle = (from + to) / 2;
    view.from = middle - width / 2;
    view.to = middle + width / 2;
    showHold();
    clearTimeout(setView.timer);
    setView.timer = setTimeout(askDetail, 150);
    schedule();
};
const followLink = () => {
    view.from = view.to = null;
    for (const panel of panels.values()) panel.detail = null;
    showHold();
    schedule();
};
const askDetail = () => {
    if (view.from === null) return;
    const width = view.to - view.from;
    for (const panel of panels.values()) {
        panel.detailFrom = view.from - width;
        panel.detailTo = view.to + width;
        ask({ ask: "series", name: panel.name, from: panel.detailFrom, to: panel.detailTo, most: 12000 });
        panel.detailAsked = asked;
    }
};
const showHold = () => {
    $("hold").setAttribute("aria-pressed", String(view.from !== null));
    setText($("hold"), view.from !== null ? "Follow" : "Hold");
};
const zoom = (factor, about_) => {
    const [from, to] = range(), at = about_ ?? (view.from === null ? to : (from + to) / 2);
    setView(at - (at - from) * factor, at + (to - at) * factor);
};
const pan = share => {
    const [from, to] = range(), by = (to - from) * share;
    setView(from + by, to + by);
};
const moveCursor = share => {
    const [from, to] = range();
    view.cursor = Math.min(Math.max((view.cursor ?? to) + (to - from) * share, from), to);
    schedule();
};

const listen = (canvas, panel) => {
    const timeAt = event => {
        const x = panel.chart?.scales.x;
        return x ? x.getValueForPixel(event.offsetX) : null;
    };
    let dragged = null;
    canvas.addEventListener("wheel", event => {
        event.preventDefault();
        if (event.shiftKey) pan(event.deltaY > 0 ? 0.1 : -0.1);
        else zoom(event.deltaY > 0 ? 1.25 : 0.8, timeAt(event));
    }, { passive: false });
    canvas.addEventListener("pointerdown", event => {
        dragged = { x: event.offsetX, range: range() };
        canvas.setPointerCapture(event.pointerId);
    });
    canvas.addEventListener("pointermove", event => {
        if (dragged) {
            const [from, to] = dragged.range, area = panel.chart?.chartArea;
            const by = area ? (dragged.x - event.offsetX) / area.width * (to - from) : 0;
            if (Math.abs(dragged.x - event.offsetX) > 3) setView(from + by, to + by);
        } else {
            view.cursor = timeAt(event);
            schedule();
        }
    });
    for (const end of ["pointerup", "pointercancel"]) canvas.addEventListener(end, () => { dragged = null; });
    canvas.addEventListener("pointerleave", () => { view.cursor = null; schedule(); });
    canvas.addEventListener("keydown", event => {
        const keys = {
            ArrowLeft: () => event.shiftKey ? pan(-0.1) : moveCursor(-0.02),
            ArrowRight: () => event.shiftKey ? pan(0.1) : moveCursor(0.02),
            "+": () => zoom(0.8, view.cursor ?? undefined), "-": () => zoom(1.25, view.cursor ?? undefined),
            Home: () => setView(Math.min(first, now - 1), now), End: followLink,
            Escape: () => { view.cursor = null; schedule(); },
        };
        if (!keys[event.key]) return;
        event.preventDefault();
        keys[event.key]();
    });
};

$("span").addEventListener("change", () => { view.span = Number($("span").value); followLink(); });
$("zoom-in").addEventListener("click", () => zoom(0.5));
$("zoom-out").addEventListener("click", () => zoom(2));
$("earlier").addEventListener("click", () => pan(-0.5));
$("later").addEventListener("click", () => pan(0.5));
$("hold").addEventListener("click", () => { if (view.from === null) setView(...range()); else followLink(); });

// --- traffic and console

// A log follows its newest line, unless somebody scrolled away from it.
const left = new Set();
for (const log of document.querySelectorAll(".log"))
    log.addEventListener("scroll", () => {
        if (log.scrollHeight - log.scrollTop - log.clientHeight > 40) left.add(log);
        else left.delete(log);
    });
const trim = log => {
    for (let i = log.childElementCount - LOG_LINES; i > 0; i--) log.firstElementChild.remove();
    if (!left.has(log)) log.scrollTop = log.scrollHeight;
};
const append = (log, lines) => {
    if (lines.length === 0) return;
    log.append(...lines);
    trim(log);
};

const held = { frame: [], raw: [] }; // the newest of each, for when what is shown is changed

const keep = (list, lines) => {
    list.push(...lines);
    if (list.length > LOG_LINES) list.splice(0, list.length - LOG_LINES);
};

const showOmitted = text => append($("log"), [make("div", { className: "quiet", textContent: text })]);

const lineOf = line => make("div", { className: line.what, textContent: line[$("depth").value] });

const shown = lines => $("depth").value === "raw" ? [] : lines.filter(line => line.values && (!$("only-bad").checked || line.what !== "frame"));

const addLines = message => {
    const frames = message.frames ?? [], raw = (message.raw ?? []).map(text => ({ what: "raw", raw: text }));
    if (message.all) held.frame.length = held.raw.length = 0;
    keep(held.frame, frames);
    keep(held.raw, raw);
    if ($("hold-log").checked) return;
    const isRaw = $("depth").value === "raw";
    append($("log"), (isRaw ? raw : shown(frames)).map(lineOf));
    if (isRaw && message.raw_omitted) showOmitted(`${message.raw_omitted} more bytes`);
    if (!isRaw && message.frames_omitted && !$("only-bad").checked) showOmitted(`${message.frames_omitted} more frames`);
};

const showAgain = () => {
    $("log").replaceChildren();
    append($("log"), ($("depth").value === "raw" ? held.raw : shown(held.frame)).map(lineOf));
    $("log").scrollTop = $("log").scrollHeight;
};
for (const id of ["depth", "only-bad", "hold-log"]) $(id).addEventListener("change", showAgain);

const consoles = []; // of each device: what was written and typed, in parts

const addPart = (log, part) => {
    const last = log.lastElementChild, className = part.out ? "out" : "";
    if (last && last.className === className && last.textContent.length < 4000) last.textContent += part.text;
    else log.append(make("span", { className, textContent: part.text }));
};

const addConsole = message => {
    if (message.all) consoles.length = 0;
    for (const part of message.console ?? []) {
        keep(consoles[part.device] ??= [], [part]);
        if (part.device === chosen && !message.all) addPart($("console-log"), part);
    }
    if (message.all) showConsole();
    else if (message.console) trim($("console-log"));
};

const showConsole = () => {
    $("console-log").replaceChildren();
    for (const part of consoles[chosen] ?? []) addPart($("console-log"), part);
    trim($("console-log"));
};

const result = (id, good, text) => {
    setText($(id), text);
    $(id).className = good ? "good" : "bad";
};

$("console-form").addEventListener("submit", event => {
    event.preventDefault();
    const line = $("console-line").value;
    ask({ ask: "console", device: chosen, text: `${line}\n`, to: Number($("send-to").value) || 0 }, (good, text) => result("console-result", good, text));
    $("console-line").value = "";
});

// --- sending

// What a user gives for a field, as JSON; undefined: it is left out.
const control = field => {
    const id = `field-${field.name}`;
    if (field.flags) {
        const boxes = field.flags.map(name => make("input", { type: "checkbox", value: name }));
        return { element: make("span", { className: "flags" }, ...boxes.map(box => make("label", {}, box, box.value))),
                 json: () => JSON.stringify(boxes.filter(box => box.checked).map(box => box.value)) };
    }
    if (field.names || field.kind === "bool") {
        const names = field.names ?? ["false", "true"];
        const element = make("select", { id }, ...names.map(name => make("option", { textContent: name, value: name })));
        return { element, json: () => field.names ? JSON.stringify(element.value) : element.value };
    }
    const element = make("input", { id, autocomplete: "off", spellcheck: false, value: field.kind === "number" ? (Number(field.low ?? 0) > 0 ? field.low : "0") : field.kind === "many" ? "[]" : "" });
    if (field.kind === "number") element.inputMode = "decimal";
    return { element, json: () => {
        if (element.value === "" && (field.optional || field.kind === "number")) return undefined;
        return field.kind === "text" || field.kind === "bytes" ? JSON.stringify(element.value) : element.value;
    } };
};

const hintOf = field => [field.type, field.unit, field.low !== undefined ? `${field.low} to ${field.high}` : "",
                         field.kind === "bytes" ? "as hex digits" : field.kind === "many" ? "as JSON" : "", field.optional ? "may be left empty" : "",
                         field.summary].filter(Boolean).join("; ");

let controls = [];
const buildFields = () => {
    const message = device().messages.find(each => each.name === $("send-message").value);
    controls = (message?.fields ?? []).map(field => ({ field, ...control(field) }));
    setText($("send-summary"), message?.summary ?? "");
    $("send-fields").replaceChildren(...controls.map(({ field, element }) => {
        if (!about.answers) for (const each of [element, ...element.querySelectorAll("input")]) each.disabled = true;
        return make("div", { className: "field" }, make("label", { htmlFor: element.id, textContent: field.name }), element,
                    make("span", { className: "quiet", textContent: hintOf(field) }));
    }));
};

const buildSend = () => {
    const sent = device().messages.filter(message => message.sent);
    $("send-message").replaceChildren(...sent.map(message => make("option", { value: message.name, textContent: message.name })));
    $("tab-send").hidden = sent.length === 0;
    buildFields();
};
$("send-message").addEventListener("change", buildFields);
$("send-form").addEventListener("submit", event => {
    event.preventDefault();
    const fields = controls.map(({ field, json }) => [field.name, json()]).filter(([, json]) => json !== undefined)
        .map(([name, json]) => `${JSON.stringify(name)}:${json}`).join(",");
    const name = $("send-message").value;
    result("send-result", true, `${name}: on its way`);
    ask({ ask: "send", device: chosen, message: name, fields: `{${fields}}`, to: Number($("send-to").value) || 0 },
        (good, text) => result("send-result", good, `${name}: ${text}`));
});

// --- variables

const buildVariables = () => {
    $("variable-rows").replaceChildren(...device().variables.map(variable => {
        const value = make("td", { textContent: "-" }), given = control({ ...variable, name: variable.variable });
        const askFor = more => ask({ ask: "variable", device: chosen, name: variable.variable, to: Number($("send-to").value) || 0, ...more }, (good, text) => {
            result("variable-result", good, `${variable.variable}: ${text}`);
            if (good) setText(value, text);
        });
        const row = make("tr", {}, make("td", { textContent: variable.variable, title: variable.summary ?? "" }), value,
            make("td", { textContent: variable.unit ?? "" }), make("td", { textContent: variable.low !== undefined ? `${variable.low} to ${variable.high}` : "" }));
        const cell = make("td", {});
        if (variable.access.includes("write")) {
            const write = make("button", { type: "button", textContent: "Write", ariaLabel: `Write ${variable.variable}`, disabled: !about.answers });
            given.element.id = `variable-${variable.variable}`;
            given.element.ariaLabel = `New value of ${variable.variable}`;
            given.element.disabled = !about.answers;
            write.addEventListener("click", () => askFor({ value: given.json() ?? "" }));
            cell.append(given.element, " ", write);
        }
        row.append(cell);
        row.read = () => { if (variable.access.includes("read")) askFor({}); };
        return row;
    }));
};
$("read-all").addEventListener("click", () => { for (const row of $("variable-rows").children) row.read(); });

// --- tabs

const tabs = [...document.querySelectorAll("[role=tab]")];
const select = tab => {
    for (const each of tabs) {
        each.setAttribute("aria-selected", String(each === tab));
        each.tabIndex = each === tab ? 0 : -1;
        $(each.getAttribute("aria-controls")).hidden = each !== tab;
    }
    for (const log of document.querySelectorAll(".log")) if (!left.has(log)) log.scrollTop = log.scrollHeight;
};
for (const tab of tabs) {
    tab.addEventListener("click", () => select(tab));
    tab.addEventListener("keydown", event => {
        const there = tabs.filter(each => !each.hidden), at = there.indexOf(tab);
        const next = event.key === "ArrowRight" ? there[(at + 1) % there.length]
            : event.key === "ArrowLeft" ? there[(at + there.length - 1) % there.length] : null;
        if (!next) return;
        event.preventDefault();
        select(next);
        next.focus();
    });
}
matchMedia("(prefers-color-scheme: dark)").addEventListener("change", schedule);
link = Page.connect(take, lost);
})();
