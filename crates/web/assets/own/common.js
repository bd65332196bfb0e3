"use strict";
// Before the first paint: the theme that was chosen last.
if (localStorage.getItem("theme") === "dark") document.documentElement.dataset.theme = "dark";

const Legere = {
  STILLS: 16,
  job() {
    return document.querySelector("main").dataset.job;
  },
  $(id) {
    return document.getElementById(id);
  },
  colours: new Map(),
  // A variable of the theme; asked for thousands of times while a view is drawn.
  css(name) {
    const key = `${document.documentElement.dataset.theme} ${name}`;
    if (!Legere.colours.has(key))
      Legere.colours.set(key, getComputedStyle(document.documentElement).getPropertyValue(name).trim());
    return Legere.colours.get(key);
  },
  async ask(path, body, method) {
    const options =
      body === undefined
        ? { method: method || "GET" }
        : { method: method || "POST", headers: { "content-type": "application/json" }, body: JSON.stringify(body) };
    const answer = await fetch(path, options);
    if (!answer.ok) throw new Error(await answer.text());
    return answer.status === 204 ? null : answer.json();
  },
  say(words) {
    const toast = Legere.$("toast");
    toast.textContent = words;
    toast.classList.add("on");
    clearTimeout(Legere.timer);
    Legere.timer = setTimeout(() => toast.classList.remove("on"), 2600);
  },
  // Stopped before it began is no error; a file that does not play is.
  start(media) {
    media.play().catch((error) => {
      if (error.name !== "AbortError") Legere.say("this cannot be played");
    });
  },
  startOrStop(media) {
    if (media.paused) Legere.start(media);
    else media.pause();
  },
  // The still of the sheet that shows the instant `at` of a clip.
  tile(at, duration) {
    return Math.max(0, Math.min(15, Math.floor((at / Math.max(duration, 0.01)) * 16)));
  },
  sheet(clip) {
    return `/media/clips/${clip}/sheet.jpg`;
  },
  clock(s) {
    const m = Math.floor(s / 60);
    return `${m}:${String(Math.floor(s % 60)).padStart(2, "0")}`;
  },
  frames(s, fps) {
    const f = Math.floor(s * fps + 0.001),
      n = Math.ceil(fps - 0.01);
    return `${String(Math.floor(f / n)).padStart(2, "0")}:${String(f % n).padStart(2, "0")}`;
  },
  // Energy from slate over ochre to vermilion.
  tone(e) {
    const stops = ["--calm", "--warm", "--hot"].map((n) =>
      Legere.css(n)
        .match(/\w\w/g)
        .map((h) => parseInt(h, 16)),
    );
    const at = Math.max(0, Math.min(1, e / 100)) * 2,
      i = Math.min(1, Math.floor(at)),
      f = at - i;
    return `rgb(${stops[i].map((v, k) => Math.round(v + (stops[i + 1][k] - v) * f)).join(",")})`;
  },
  keys: [],
  // A key of this page, with words for the list of all keys. Letters go by what they print.
  on(key, words, act) {
    Legere.keys.push({ key, words, act });
  },
  svg(name, attributes, inside) {
    const node = document.createElementNS("http://www.w3.org/2000/svg", name);
    for (const [k, v] of Object.entries(attributes || {})) node.setAttribute(k, v);
    if (inside !== undefined) node.textContent = inside;
    return node;
  },
  el(name, attributes, inside) {
    const node = document.createElement(name);
    for (const [k, v] of Object.entries(attributes || {})) node.setAttribute(k, v);
    if (inside !== undefined) node.textContent = inside;
    return node;
  },
  // Figures beside each other, each a part of its own.
  figures(box, parts) {
    box.replaceChildren(...parts.map((part) => Legere.el("span", {}, part)));
  },
  // Canvas in device pixels, drawn in CSS pixels.
  crisp(canvas) {
    const box = canvas.getBoundingClientRect(),
      ratio = window.devicePixelRatio || 1;
    const w = Math.max(1, Math.round(box.width)),
      h = Math.max(1, Math.round(box.height));
    if (canvas.width !== w * ratio || canvas.height !== h * ratio) {
      canvas.width = w * ratio;
      canvas.height = h * ratio;
    }
    const pen = canvas.getContext("2d");
    pen.setTransform(ratio, 0, 0, ratio, 0, 0);
    pen.clearRect(0, 0, w, h);
    return { pen, w, h };
  },
  async turn(way) {
    try {
      const done = await Legere.ask(`/jobs/${Legere.job()}/${way}`, {});
      Legere.say(`${way === "undo" ? "undone" : "done again"}: ${done.label}`);
      document.dispatchEvent(new CustomEvent("legere:changed"));
    } catch (error) {
      Legere.say(error.message);
    }
  },
  night() {
    const dark = document.documentElement.dataset.theme !== "dark";
    document.documentElement.dataset.theme = dark ? "dark" : "light";
    localStorage.setItem("theme", dark ? "dark" : "light");
    document.dispatchEvent(new CustomEvent("legere:redraw"));
  },
  showKeys() {
    const list = document.querySelector("#keys dl");
    list.replaceChildren();
    for (const { key, words } of Legere.keys) {
      const term = Legere.el("dt");
      term.append(Legere.el("kbd", {}, key === " " ? "Space" : key.length === 1 ? key.toUpperCase() : key));
      list.append(term, Legere.el("dd", {}, words));
    }
    Legere.$("keys").showModal();
  },
};

document.addEventListener("keydown", (event) => {
  if (!document.querySelector("main")) return;
  const typing = event.target.matches("input, textarea, select");
  const command = event.ctrlKey || event.metaKey;
  if (command && event.key.toLowerCase() === "z" && !typing) {
    event.preventDefault();
    Legere.turn(event.shiftKey ? "redo" : "undo");
    return;
  }
  if (command || event.altKey) return;
  if (event.key === "Escape" && typing) {
    event.target.blur();
    return;
  }
  if (typing || document.querySelector("dialog[open]")) return;
  // Buttons and links keep their own Enter; space plays wherever the focus is.
  if (event.key === "Enter" && event.target.matches("button, a")) return;
  const found = Legere.keys.find((k) => k.key.toLowerCase() === event.key.toLowerCase());
  if (found) {
    event.preventDefault();
    found.act(event);
  }
});
document.addEventListener("DOMContentLoaded", () => {
  if (!document.querySelector("main")) return;
  Legere.on("?", "all keys", Legere.showKeys);
  Legere.on("n", "night and day", Legere.night);
  document.getElementById("keys-close").addEventListener("click", () => Legere.$("keys").close());
});
