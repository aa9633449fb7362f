"use strict";
/* Draws the charts from the numbers in the page, and filters the list of damages. */
(function () {
    const data = JSON.parse(document.getElementById("numbers").textContent);
    const series = ["#0072b2", "#d55e00", "#009e73", "#cc79a7", "#e69f00", "#56b4e9", "#8c6bb1", "#7f7f7f"];
    const dashes = [[], [6, 3], [2, 2], [8, 3, 2, 3]];
    const charts = [];
    let printing = false;

    function color(name) {
        return getComputedStyle(document.documentElement).getPropertyValue(name).trim();
    }

    function theme() {
        return printing ? { ink: "#000000", line: "#cccccc" } : { ink: color("--ink"), line: color("--line") };
    }

    function two(number) {
        return String(number).padStart(2, "0");
    }

    function clock(seconds) {
        const whole = Math.floor(seconds);
        return Math.floor(whole / 3600) + ":" + two(Math.floor(whole / 60) % 60) + ":" + two(whole % 60);
    }

    function axis(title, more) {
        const now = theme();
        return Object.assign({
            title: { display: true, text: title, color: now.ink },
            ticks: { color: now.ink, maxRotation: 0, autoSkipPadding: 12 },
            grid: { color: now.line }
        }, more);
    }

    /* A chart in the figure with this name, from a function that gives its settings; and its numbers as a table. */
    function draw(name, table, settings) {
        const canvas = document.querySelector("#" + name + " canvas");
        if (!canvas)
            return;
        const chart = { canvas: canvas, settings: settings, made: null };
        charts.push(chart);
        const details = document.querySelector("#" + name + " details");
        details.addEventListener("toggle", function () {
            if (details.open && !details.querySelector("table"))
                details.appendChild(table());
        });
    }

    function make(chart) {
        if (chart.made)
            chart.made.destroy();
        const settings = chart.settings();
        settings.options = Object.assign({ animation: false, responsive: true, maintainAspectRatio: false },
            settings.options);
        settings.options.plugins = Object.assign({ legend: { labels: { color: theme().ink, boxWidth: 28 } } },
            settings.options.plugins);
        chart.made = new Chart(chart.canvas, settings);
    }

    function tableOf(heads, rows) {
        const table = document.createElement("table");
        const wrap = document.createElement("div");
        wrap.className = "wide";
        [heads].concat(rows).forEach(function (cells, i) {
            const row = table.insertRow();
            cells.forEach(function (cell) {
                const made = document.createElement(i === 0 ? "th" : "td");
                made.textContent = cell === null ? "" : String(cell);
                row.appendChild(made);
            });
        });
        wrap.appendChild(table);
        return wrap;
    }

    /* Marks and events as vertical lines. */
    const lines = {
        id: "lines",
        afterDatasetsDraw: function (chart) {
            const area = chart.chartArea, context = chart.ctx;
            (data.events || []).forEach(function (event) {
                const x = area.left + (area.right - area.left) * event.at / (data.bin * data.times.length);
                context.save();
                context.strokeStyle = theme().ink;
                context.globalAlpha = 0.6;
                context.setLineDash(event.kind === "mark" ? [2, 3] : [6, 3]);
                context.beginPath();
                context.moveTo(x, area.top);
                context.lineTo(x, area.bottom);
                context.stroke();
                context.restore();
            });
        }
    };

    function overTime(name, title, sets, options) {
        draw(name, function () {
            return tableOf(["from", "to"].concat(sets.map(function (set) { return set.label; })),
                data.times.map(function (at, i) {
                    return [clock(at), clock(at + data.bin)].concat(sets.map(function (set) { return set.values[i]; }));
                }));
        }, function () {
            return {
                type: options.type,
                plugins: [lines],
                data: {
                    labels: data.times.map(clock),
                    datasets: sets.map(function (set, i) {
                        return {
                            label: set.label, data: set.values,
                            backgroundColor: series[i % 8], borderColor: series[i % 8],
                            borderWidth: options.type === "line" ? 1.8 : 0, borderDash: dashes[i % 4], pointRadius: 0,
                            spanGaps: false, barPercentage: 1, categoryPercentage: 1,
                            stack: options.stacked ? "one" : undefined
                        };
                    })
                },
                options: {
                    plugins: options.type === "line" ? {
                        legend: { labels: { color: theme().ink, usePointStyle: true, pointStyle: "line",
                                            boxWidth: 36 } }
                    } : {},
                    interaction: { mode: "index", intersect: false },
                    scales: { x: axis("time since the beginning, h:mm:ss", { stacked: options.stacked }),
                              y: axis(title, { stacked: options.stacked, beginAtZero: !options.logarithmic,
                                               type: options.logarithmic ? "logarithmic" : "linear" }) }
                }
            };
        });
    }

    function bars(name, across, up, labels, sets) {
        draw(name, function () {
            const heads = [across].concat(sets.map(function (set) { return set.label; }));
            return tableOf(heads, labels.map(function (label, i) {
                return [label].concat(sets.map(function (set) { return set.values[i]; }));
            }));
        }, function () {
            return {
                type: "bar",
                data: {
                    labels: labels,
                    datasets: sets.map(function (set, i) {
                        return { label: set.label, data: set.values, backgroundColor: series[i % 8],
                                 barPercentage: 0.95, categoryPercentage: 0.95 };
                    })
                },
                options: { scales: { x: axis(across, {}), y: axis(up, { beginAtZero: true }) } }
            };
        });
    }

    overTime("errors", "frames", data.classes, { type: "bar", stacked: true });
    overTime("throughput", "bytes a second", data.bytes, { type: "line" });
    overTime("latency", "ms", data.latency, { type: "line", logarithmic: true });
    if (data.histogram)
        bars("spread", "up to, ms", "frames", data.histogram.labels, data.histogram.sets);
    if (data.places)
        bars("places", "byte of the frame on the wire, from 0", "damages", data.places.labels, data.places.sets);
    if (data.bits)
        bars("bits", "bit of the byte, 0 is the lowest", "inverted bits", data.bits.labels, data.bits.sets);

    function all() {
        charts.forEach(make);
    }
    if (typeof Chart === "function") {
        all();
        matchMedia("(prefers-color-scheme: dark)").addEventListener("change", all);
        addEventListener("beforeprint", function () { printing = true; all(); });
        addEventListener("afterprint", function () { printing = false; all(); });
    }

    const filters = document.querySelector(".filters");
    if (filters) {
        const shown = document.getElementById("shown");
        const stretches = Array.from(document.querySelectorAll(".stretch"));
        const choose = function () {
            const way = filters.querySelector("[name=way]").value, cause = filters.querySelector("[name=cause]").value,
                  what = filters.querySelector("[name=what]").value;
            let count = 0;
            stretches.forEach(function (stretch) {
                const fits = (!way || stretch.dataset.way === way) && (!what || stretch.dataset.what === what) &&
                             (!cause || stretch.dataset.causes.split(" ").includes(cause));
                stretch.hidden = !fits;
                count += fits;
            });
            shown.textContent = String(count);
        };
        filters.addEventListener("change", choose);
        document.getElementById("open-all").addEventListener("click", function () {
            const open = stretches.some(function (stretch) { return !stretch.hidden && !stretch.open; });
            stretches.forEach(function (stretch) { stretch.open = open && !stretch.hidden; });
        });
        choose();
    }
    document.documentElement.dataset.ready = String(charts.filter(function (chart) { return chart.made; }).length);
})();
