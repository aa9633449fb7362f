// What both live pages need: elements whose contents are text, never markup, and the WebSocket to zeugma.
"use strict";
const Page = (() => {
const $ = id => document.getElementById(id);

const make = (tag, properties, ...children) => {
    const element = Object.assign(document.createElement(tag), properties);
    element.append(...children);
    return element;
};
const setText = (element, text) => { if (element.textContent !== text) element.textContent = text; };
const digits = (value, most = 6) => Number.isFinite(value) ? String(Number(value.toPrecision(most))) : "-";
const style = name => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

// Tells `take` what comes, `lost` when the connection ends. send() returns whether there is one.
const connect = (take, lost) => {
    let socket;
    const open = () => {
        const url = new URL("link", location.href);
        url.protocol = "ws:";
        socket = new WebSocket(url);
        socket.onopen = () => { $("away").hidden = true; };
        socket.onmessage = event => {
            socket.send('{"seen":1}');
            take(JSON.parse(event.data));
        };
        socket.onclose = () => {
            $("away").hidden = false;
            lost();
            setTimeout(open, 2000);
        };
    };
    open();
    return { send: message => {
        const is_open = socket.readyState === WebSocket.OPEN;
        if (is_open) socket.send(JSON.stringify(message));
        return is_open;
    } };
};
return { $, make, setText, digits, style, connect };
})();
