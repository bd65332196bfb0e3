"use strict";
(() => {
  const { $, ask, on, el, svg, css, tone, tile, sheet } = Legere;
  const job = Legere.job(),
    figures = $("figures");
  const W = 1076,
    H = 300,
    TOP = 22,
    BASE = 270;
  let d = null,
    at = 0;
  const x = (f) => (f / d.total) * W,
    y = (e) => BASE - (e / 100) * (BASE - TOP);
  const path = () => `/jobs/${job}/drafts/${figures.dataset.draft}`;

  function contour(open) {
    const e = d.energy,
      points = [];
    for (let i = 0; i < e.values.length; i += 2) points.push([Math.min(W, x((i + 1) * e.step * d.fps)), e.values[i]]);
    // The line of a building site is a contour, not a tremble: half a second of smoothing.
    const smooth = points.map((p, i) => {
      const near = points.slice(Math.max(0, i - 2), i + 3);
      return [p[0], near.reduce((s, q) => s + q[1], 0) / near.length];
    });
    const line = smooth.map((p) => `${p[0].toFixed(1)},${y(p[1]).toFixed(1)}`).join("L");
    return open
      ? `M${line}`
      : `M0,${BASE}L0,${y(smooth[0][1])}L${line}L${W},${y(smooth[smooth.length - 1][1])}L${W},${BASE}Z`;
  }
  function draw() {
    const sky = $("skyline"),
      inside = [];
    inside.push(svg("path", { class: "contour", d: contour(false) }));
    for (const s of d.sections)
      inside.push(svg("line", { class: "section", x1: x(s.start), x2: x(s.start), y1: 0, y2: BASE }));
    d.shots.forEach((s, i) => inside.push(building(s, i)));
    inside.push(svg("path", { class: "line", d: contour(true) }));
    for (const [frame, bar, beat] of d.beats) {
      inside.push(
        svg("line", {
          class: beat === 1 ? "bar" : "beat",
          x1: x(frame),
          x2: x(frame),
          y1: BASE,
          y2: BASE + (beat === 1 ? 9 : 5),
        }),
      );
      if (beat === 1 && bar % 2 === 1) inside.push(svg("text", { x: x(frame) + 2, y: BASE + 20 }, bar));
    }
    for (const c of d.cues) {
      const px = x(c.at),
        g = svg("g", { class: "cue" });
      if (c.kind === "drop") g.append(svg("path", { d: `M${px - 6},16L${px},3L${px + 6},16` }));
      else if (c.kind === "pause") g.append(svg("path", { d: `M${px},16l5,-12M${px + 5},16l5,-12` }));
      g.append(svg("title", {}, c.kind));
      inside.push(g);
    }
    const on = d.shots[at];
    if (on && on.wanted !== null && Math.abs(on.energy - on.wanted) > 20)
      inside.push(
        svg(
          "text",
          { class: "gap", x: Math.min(x(on.start), W - 70), y: Math.max(12, y(Math.max(on.energy, on.wanted)) - 12) },
          `${Math.abs(Math.round(on.energy - on.wanted))} ${on.energy < on.wanted ? "below" : "above"}`,
        ),
      );
    sky.replaceChildren(...inside);
    heads();
    const f = d.figures;
    Legere.figures(figures, [
      d.length,
      `${f.shots} shots`,
      `${(f.shortest / d.fps).toFixed(1)}–${(f.longest / d.fps).toFixed(1)} s`,
      `agreement ${f.agreement.toFixed(2)}`,
    ]);
    $("says-arrange").textContent = `draft ${d.number}, ${f.shots} shots`;
    list($("findings"), d.findings);
  }
  function building(s, i) {
    const g = svg("g", {
      class: i === at ? "building on" : "building",
      "data-shot": i,
      role: "button",
      "aria-label": `shot ${i + 1}, ${s.name}, energy ${Math.round(s.energy)}${s.pinned ? ", pinned" : ""}`,
    });
    const left = x(s.start),
      w = Math.max(1, x(s.len)),
      top = y(Math.max(4, s.energy)),
      h = BASE - top;
    // The still is cut to the building, its middle kept: a window 256 x 144 of the sheet.
    const scale = Math.max(w / 256, h / 144),
      k = tile(s.hit ?? s.source, s.media);
    const view = svg("svg", {
      x: left,
      y: top,
      width: w,
      height: h,
      viewBox: `${k * 256 + 128 - w / scale / 2} ${72 - h / scale / 2} ${w / scale} ${h / scale}`,
      preserveAspectRatio: "none",
    });
    view.append(svg("image", { href: sheet(s.clip), width: 4096, height: 144, preserveAspectRatio: "none" }));
    g.append(svg("rect", { x: left, y: top, width: w, height: h, fill: css("--well") }), view);
    g.append(svg("rect", { x: left, y: top - 3, width: w, height: 3, fill: tone(s.energy) }));
    g.append(svg("rect", { class: "frame", x: left + 0.5, y: top, width: Math.max(0.5, w - 1), height: h }));
    if (s.pinned) g.append(svg("path", { class: "pin", d: `M${left + w / 2},${top - 16}l5,5l-5,5l-5,-5z` }));
    g.addEventListener("click", () => choose(i));
    return g;
  }
  function heads() {
    const box = $("heads");
    box.replaceChildren(
      ...d.sections.map((s, i) => {
        const head = el("div", { class: "head" });
        head.style.left = `${(s.start / d.total) * 100}%`;
        head.style.width = `${((s.end - s.start) / d.total) * 100}%`;
        const select = el("select", { "aria-label": `pace of ${s.kind}`, "data-section": i });
        for (const c of d.choices)
          for (const varied of [false, true]) {
            const o = el("option", { value: `${c.quarters} ${varied}` }, varied ? `${c.words}, varied` : c.words);
            o.selected = c.quarters === s.quarters && varied === s.varied;
            select.append(o);
          }
        select.addEventListener("change", () => {
          const [q, v] = select.value.split(" ");
          const pace = d.sections.map((t) => [t.quarters, t.varied]);
          pace[i] = [Number(q), v === "true"];
          act(`${path()}/arrange`, { pace });
        });
        head.append(el("b", {}, s.kind), select);
        return head;
      }),
    );
  }
  function list(box, findings) {
    box.replaceChildren(
      ...(findings.length ? findings : [{ words: "no gaps, no repeats, every cut on its mark", shot: null }]).map(
        (f) => {
          const li = el("li"),
            b = el("button", { type: "button" }, f.words);
          if (f.shot !== null) b.addEventListener("click", () => choose(f.shot));
          li.append(b);
          return li;
        },
      ),
    );
  }
  async function choose(i) {
    at = Math.max(0, Math.min(d.shots.length - 1, i));
    draw();
    about();
    const mine = at;
    const alternates = await ask(`${path()}/alternates?shot=${at}`);
    if (mine === at) instead(alternates);
  }
  function about() {
    const s = d.shots[at];
    $("shot-name").replaceChildren(
      document.createTextNode(`${s.name} `),
      el("span", { class: "mono" }, `shot ${at + 1} · ${s.tier} · ${s.timecode} · ${s.len} frames`),
    );
    $("why").textContent = s.why.map((w) => `${w[0].toUpperCase()}${w.slice(1)}.`).join(" ");
    $("pin").querySelector("span").textContent = s.pinned ? "unpin" : "pin";
    strip(s);
    const video = $("video");
    if (video.dataset.clip !== s.clip) {
      video.dataset.clip = s.clip;
      video.src = `/media/clips/${s.clip}/light.mp4`;
    }
    video.currentTime = s.source + (s.hit_at !== null ? (s.hit_at / d.fps) * s.speed : 0) + 0.001;
  }
  function strip(s) {
    const { pen, w, h } = Legere.crisp($("strip"));
    const image = new Image();
    image.onload = () => {
      const tw = image.naturalWidth / 16,
        step = (h * 16) / 9;
      for (let k = 0; k * step < w; k++)
        pen.drawImage(
          image,
          tile((((k + 0.5) * step) / w) * s.media, s.media) * tw,
          0,
          tw,
          image.naturalHeight,
          k * step,
          0,
          step,
          h,
        );
      const px = (t) => (t / s.media) * w,
        a = px(s.source),
        b = px(s.source + s.used);
      pen.fillStyle = "rgba(246,243,236,.72)";
      pen.fillRect(0, 0, a, h);
      pen.fillRect(b, 0, w - b, h);
      pen.strokeStyle = css("--act");
      pen.lineWidth = 3;
      pen.strokeRect(a + 1.5, 1.5, b - a - 3, h - 3);
      if (s.hit_at !== null) {
        pen.fillStyle = "#e0553c";
        pen.fillRect(px(s.source + (s.hit_at / d.fps) * s.speed) - 1, 0, 2, h);
      }
    };
    image.src = sheet(s.clip);
  }
  function instead(alternates) {
    const box = $("alternates");
    if (!alternates.length) {
      box.replaceChildren(el("p", { class: "quiet" }, "No other select fits this place."));
      return;
    }
    box.replaceChildren(
      ...alternates.map((a, i) => {
        const b = el("button", { type: "button", class: "alt", "data-select": a.select });
        const gains = a.gains.map(([name, v]) => `${v > 0 ? "+" : "−"}${Math.abs(v).toFixed(2)} ${name}`).join(" ");
        const name = el("span", { class: "caption" });
        name.append(el("kbd", {}, i + 1), document.createTextNode(` ${a.name}: ${a.why.slice(0, 2).join(", ")}`));
        b.append(
          el("img", { src: sheet(a.clip), alt: "", class: `tile-${tile(a.hit, a.media)}` }),
          name,
          el("span", { class: "mono" }, gains || "as good"),
        );
        b.addEventListener("click", () => edit({ do: "swap", shot: at, select: a.select }));
        return b;
      }),
    );
  }
  async function act(where, body) {
    $("problem").textContent = "";
    try {
      d = await ask(where, body);
      await choose(Math.min(at, d.shots.length - 1));
    } catch (error) {
      $("problem").textContent = error.message;
    }
  }
  const edit = (body) => act(`${path()}/edit`, body);
  const again = () => act(`${path()}/arrange`, {});
  const cut = (by) => edit({ do: "move-cut", shot: at, by });
  // To the beat before or after the shot's end.
  function toBeat(way) {
    const s = d.shots[at],
      end = s.start + s.len,
      frames = d.beats.map((b) => b[0]);
    const target = way > 0 ? frames.find((f) => f > end) : frames.filter((f) => f < end).pop();
    if (target !== undefined) cut(target - end);
  }
  const slip = (by) => edit({ do: "slip", shot: at, by });
  const pin = () => edit({ do: "pin", shot: at, on: !d.shots[at].pinned });
  async function load() {
    d = await ask(`${path()}.json`);
    await choose(Math.min(at, d.shots.length - 1));
    $("skyline").dataset.ready = "yes";
  }
  document.addEventListener("DOMContentLoaded", () => {
    if (!figures) return;
    $("again").addEventListener("click", again);
    $("pin").addEventListener("click", pin);
    for (const b of document.querySelectorAll("[data-cut]"))
      b.addEventListener("click", () => cut(Number(b.dataset.cut)));
    for (const b of document.querySelectorAll("[data-slip]"))
      b.addEventListener("click", () => slip(Number(b.dataset.slip)));
    for (const b of document.querySelectorAll("[data-beat]"))
      b.addEventListener("click", () => toBeat(Number(b.dataset.beat)));
    on("ArrowLeft", "the shot before", () => choose(at - 1));
    on("ArrowRight", "the next shot", () => choose(at + 1));
    on("p", "pin and unpin", pin);
    on("Enter", "arrange around the pins", again);
    on(",", "the cut a frame earlier", () => cut(-1));
    on(".", "the cut a frame later", () => cut(1));
    on("k", "the cut to the beat before", () => toBeat(-1));
    on("l", "the cut to the next beat", () => toBeat(1));
    on("[", "an earlier part of the clip", () => slip(-1));
    on("]", "a later part of the clip", () => slip(1));
    on(" ", "play the clip", () => {
      const v = $("video");
      Legere.startOrStop(v);
    });
    for (let i = 1; i <= 3; i++)
      on(String(i), `put alternate ${i} here`, () => {
        const b = document.querySelectorAll(".alt")[i - 1];
        if (b) b.click();
      });
    document.addEventListener("legere:changed", load);
    document.addEventListener("legere:redraw", () => {
      draw();
      about();
    });
    load();
  });
})();
