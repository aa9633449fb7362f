// The page of a soak that runs. Each update has all that is shown. Everything is set as text, never as markup.
"use strict";
(() => {
const { $, make, setText, digits, style } = Page;
let chart, latest, drawn = "";

const clock = seconds => {
    const s = Math.max(Math.floor(seconds), 0), two = value => String(value).padStart(2, "0");
    return s < 3600 ? `${Math.floor(s / 60)}:${two(s % 60)}` : `${Math.floor(s / 3600)}:${two(Math.floor(s / 60) % 60)}:${two(s % 60)}`;
};
const rate = value => value === 0 ? "0" : value.toExponential(2);
// Cells stay, so that what is selected in them stays selected.
const fill = (body, lines) => {
    const same = body.rows.length === lines.length && lines.every((cells, i) => body.rows[i].cells.length === cells.length);
    if (!same) body.replaceChildren(...lines.map(cells => make("tr", {}, ...cells.map((_, i) => make(i === 0 ? "th" : "td", {})))));
    lines.forEach((cells, i) => cells.forEach((text, k) => setText(body.rows[i].cells[k], String(text))));
};

const take = message => {
    latest = message;
    document.title = `soak of ${message.protocol}: ${Math.floor(100 * message.done)} %`;
    setText($("title"), `soak of ${message.protocol} ${message.version}`);
    setText($("where"), message.link);
    setText($("state"), message.ended ? `\u25A0 ended: ${message.ended}` : `\u25CF ${clock(message.ran)} of ${clock(message.planned)}` +
        (message.left >= 0 ? `, ${clock(message.left)} left` : ""));
    $("state").className = "state " + (message.ended ? "" : "good");
    $("done").value = message.done;
    $("away").className = message.ended ? "said" : "";
    if (message.ended) setText($("away"), "The soak has ended. This is the last that was seen of it; its report is where it was started.");
    fill($("flows"), message.flows.map(flow => [flow.name, flow.sent, flow.came, flow.lost, flow.open]));
    setText($("damages"), `${message.damages[0]} stretches with damage arrived at the device, ${message.damages[1]} at this end`);
    const { count, median, p99, most } = message.answers, ms = s => `${digits(1000 * s, 4)} ms`;
    setText($("answers"), count ? `answers from when due: half within ${ms(median)}, 99 % within ${ms(p99)}, all within ${ms(most)}` : "");
    fill($("rates"), message.rates.map(each => [each.key, each.errors ? rate(each.errors / each.trials) : "none seen", rate(each.low),
        rate(each.high), each.errors, `${each.trials} ${each.of}`]));
    $("rules").replaceChildren(...message.rules.map(text => make("li", { textContent: `required: ${text}` })));
    showEvents(message.events);
    drawTimes();
};

const showEvents = events => {
    const text = JSON.stringify(events);
    if (text === drawn) return;
    drawn = text;
    $("events").replaceChildren(...events.map(event => make("div", { textContent: `${event.at.toFixed(3).padStart(12)} s  ${event.kind.padEnd(9)} ${event.text}` })));
    $("events").scrollTop = $("events").scrollHeight;
    const newest = events[events.length - 1];
    setText($("newest"), newest ? `${newest.at.toFixed(1)} s: ${newest.kind} ${newest.text}` : "");
};

// Columns are [from, not measured, then for each path: sent, not delivered].
const drawTimes = () => {
    const { columns, paths, each } = latest, colours = ["--curve", "--bad", "--limit"], dashes = [[], [6, 3], [2, 2]];
    const used = paths.map((name, i) => ({ name, i })).filter(({ i }) => columns.some(column => column[2 + 2 * i] > 0));
    $("times-empty").hidden = columns.length > 0;
    fill($("times-head"), [["from, s", ...used.flatMap(({ name }) => [`${name}: sent`, "not delivered"])]]);
    fill($("times-rows"), columns.slice(-12).map(column => [column[0] + (column[1] ? " (in part not measured)" : ""),
        ...used.flatMap(({ i }) => [column[2 + 2 * i], column[3 + 2 * i]])]));
    const worst = Math.max(0, ...columns.flatMap(column => used.map(({ i }) => column[3 + 2 * i])));
    $("times").setAttribute("aria-label", `Frames not delivered in each ${each} s, over ${columns.length} of these; ${worst} at most`);
    if (typeof Chart === "undefined" || columns.length === 0) return;
    const datasets = used.map(({ name, i }, k) => ({
        label: `${name}, frames in each ${each} s`, data: columns.map(column => ({ x: column[0], y: column[2 + 2 * i] > 0 || column[3 + 2 * i] > 0 ? column[3 + 2 * i] : NaN })),
        borderColor: style(colours[k]), borderDash: dashes[k], borderWidth: 1.5, pointRadius: 0, stepped: "before", fill: false,
    }));
    const axis = (title, more) => ({ type: "linear", beginAtZero: true, title: { display: true, text: title, color: style("--quiet") },
        ticks: { color: style("--quiet"), ...more }, grid: { color: style("--line"), borderColor: style("--edge") } });
    chart ??= new Chart($("times"), { type: "line", data: { datasets: [] }, options: { animation: false, responsive: true, maintainAspectRatio: false,
        plugins: { tooltip: { enabled: false } } } });
    chart.data.datasets = datasets;
    chart.options.scales = { x: { ...axis("s", {}), max: columns[columns.length - 1][0] + each }, y: { ...axis("frames", { precision: 0 }), suggestedMax: 5 } };
    chart.options.plugins.legend = { labels: { color: style("--ink"), boxHeight: 0 } };
    chart.update("none");
};

const link = Page.connect(message => {
    if (message.kind === "soak") take(message);
    else if (message.kind === "answer") setText($("mark-result"), message.text);
}, () => {});
$("mark-form").addEventListener("submit", event => {
    event.preventDefault();
    if (!link.send({ ask: "mark", text: $("mark").value })) setText($("mark-result"), "zeugma cannot be reached");
    $("mark").value = "";
});
matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => { if (latest) drawTimes(); });
})();
