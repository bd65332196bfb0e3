"use strict";
(() => {
  const { $, ask, on, el, css, tone, tile, sheet } = Legere;
  const job = Legere.job();
  let all = [],
    shown = [],
    now = null,
    reading = null,
    loading = 0;
  const readings = new Map(),
    images = new Map();
  const filters = { tiers: new Set(), tags: new Set(), words: "" };
  const video = $("video"),
    still = $("still");

  const image = (clip) => {
    if (!images.has(clip)) {
      const i = new Image();
      i.src = sheet(clip);
      images.set(clip, i);
    }
    return images.get(clip);
  };
  const matches = (s) => {
    if (filters.tiers.size && !filters.tiers.has(s.tier)) return false;
    for (const tag of filters.tags) if (!s.tags.includes(tag)) return false;
    const text = `${s.name} ${s.roll} ${s.tier} ${s.tags.join(" ")} ${s.note} ${s.movement}`.toLowerCase();
    return filters.words
      .toLowerCase()
      .split(/\s+/)
      .every((w) => text.includes(w));
  };

  function narrow() {
    shown = all.filter(matches);
    count();
    drawSheet();
  }
  function drawFilters() {
    const box = $("filters");
    box.replaceChildren();
    const chip = (text, set, value) => {
      const b = el(
        "button",
        { type: "button", class: "chip", "aria-pressed": set.has(value), "data-filter": value },
        text,
      );
      b.addEventListener("click", () => {
        set.has(value) ? set.delete(value) : set.add(value);
        drawFilters();
        narrow();
        if (shown.length && !shown.includes(now)) show(shown[0]);
      });
      box.append(b);
    };
    for (const tier of ["unread", "hero", "strong", "spare", "out"])
      chip(`${tier} ${all.filter((s) => s.tier === tier).length}`, filters.tiers, tier);
    const used = [...new Set(all.flatMap((s) => s.tags))].sort();
    for (const tag of used.slice(0, 8)) chip(tag.split(":")[1], filters.tags, tag);
  }
  function dress(cell, s) {
    cell.className = `cell is-${s.tier}`;
    cell.querySelector("img").className = `tile-${tile(s.hit, s.duration)}`;
    cell.querySelector(".under").className = `under ${s.tier === "out" ? "" : s.tier}`;
    cell.setAttribute("aria-label", `${s.name}, ${s.tier}`);
  }
  function drawSheet() {
    const box = $("sheet");
    box.replaceChildren(
      ...shown.map((s) => {
        const cell = el("button", {
          type: "button",
          role: "option",
          "data-select": s.id,
          tabindex: -1,
          "aria-selected": s === now,
        });
        cell.append(
          el("img", { loading: "lazy", src: sheet(s.clip), alt: "" }),
          el("span", { class: "under" }),
          el("span", { class: "cap" }, `${s.name} ${Legere.clock(s.duration)}`),
        );
        dress(cell, s);
        cell.addEventListener("click", () => show(s));
        return cell;
      }),
    );
    $("nothing").hidden = shown.length > 0;
  }
  const cellOf = (s) => document.querySelector(`[data-select="${s.id}"]`);

  function drawStill() {
    const { pen, w, h } = Legere.crisp(still);
    pen.fillStyle = css("--well");
    pen.fillRect(0, 0, w, h);
    if (!now) return;
    const i = image(now.clip);
    const put = () => {
      if (!i.naturalWidth) return;
      const tw = i.naturalWidth / 16;
      pen.drawImage(i, tile(now.hit, now.duration) * tw, 0, tw, i.naturalHeight, 0, 0, w, h);
      still.dataset.shown = now.id;
    };
    if (i.complete) put();
    else i.addEventListener("load", put, { once: true });
  }
  function show(s) {
    if (!s) return;
    const before = now;
    now = s;
    video.pause();
    video.classList.remove("on");
    drawStill();
    clearTimeout(loading);
    loading = setTimeout(loadClip, 150);
    for (const one of [before, now]) {
      const c = one && cellOf(one);
      if (c) c.setAttribute("aria-selected", one === now);
    }
    const cell = cellOf(now);
    if (cell) cell.scrollIntoView({ block: "nearest" });
    describe();
    reading = readings.get(s.clip) || null;
    drawRibbon();
    if (!reading)
      ask(`/jobs/${job}/clips/${s.clip}/reading.json`).then((r) => {
        readings.set(s.clip, r);
        if (now === s) {
          reading = r;
          drawRibbon();
        }
      });
    // The neighbours, so that the next verdicts find them there.
    const at = shown.indexOf(now);
    for (const n of [1, 2, 3, 4, 5, 6, -1]) if (shown[at + n]) image(shown[at + n].clip);
  }
  // The moving picture comes once one rests on a clip: those passed by quickly must not hold up the next still.
  const source = () => `/media/clips/${now.clip}/light.mp4`;
  const at = () => (video.getAttribute("src") === source() ? video.currentTime : now.hit);
  function loadClip() {
    clearTimeout(loading);
    if (!now || video.getAttribute("src") === source()) return;
    video.src = source();
    video.currentTime = now.hit;
    video.dataset.shown = now.id;
  }
  function describe() {
    const s = now;
    $("name").textContent = s.name;
    $("facts").textContent =
      `${s.roll} · ${s.when} · ${s.rate_words} → ${s.slows > 1 ? `slows to ${s.slows}×` : "no slow motion"}`;
    $("problem").textContent = s.problem || "";
    for (const b of document.querySelectorAll("[data-tier]")) b.setAttribute("aria-pressed", b.dataset.tier === s.tier);
    for (const b of document.querySelectorAll("[data-tag]"))
      b.setAttribute("aria-pressed", s.tags.includes(b.dataset.tag));
    $("energy").textContent = Math.round(s.energy);
    $("energy-bar").setAttribute("width", s.energy * 3);
    $("energy-bar").setAttribute("fill", tone(s.energy));
    $("measured").textContent = `measured: ${s.movement}`;
    for (const [id, at] of [
      ["at-in", s.start],
      ["at-hit", s.hit],
      ["at-out", s.end],
    ])
      $(id).textContent = Legere.frames(at, s.rate);
  }
  function drawRibbon() {
    const { pen, w, h } = Legere.crisp($("ribbon"));
    if (!now) return;
    const d = now.duration,
      x = (t) => (t / d) * w,
      i = image(now.clip);
    const put = () => {
      if (i.naturalWidth) {
        const tw = i.naturalWidth / 16,
          step = (h * 16) / 9,
          count = Math.ceil(w / step);
        for (let k = 0; k < count; k++) {
          const t = tile((((k + 0.5) * step) / w) * d, d);
          pen.drawImage(i, t * tw, 0, tw, i.naturalHeight, k * step, 0, step, h);
        }
      }
      pen.fillStyle = "rgba(30,28,25,.35)";
      pen.fillRect(0, 0, w, h);
      if (reading) traces(pen, w, h, d);
      const paper = "#f6f3ec";
      pen.fillStyle = "rgba(20,18,16,.45)";
      pen.fillRect(0, 0, x(now.start), h);
      pen.fillRect(x(now.end), 0, w, h);
      pen.strokeStyle = paper;
      pen.lineWidth = 3;
      const bracket = (at, way) => {
        pen.beginPath();
        pen.moveTo(at + 7 * way, 2);
        pen.lineTo(at + 1.5 * way, 2);
        pen.lineTo(at + 1.5 * way, h - 2);
        pen.lineTo(at + 7 * way, h - 2);
        pen.stroke();
      };
      bracket(x(now.start), 1);
      bracket(x(now.end), -1);
      pen.fillStyle = "#e0553c";
      pen.fillRect(x(now.hit) - 1, 0, 2, h);
      pen.fillStyle = paper;
      pen.fillRect(x(at()), 0, 1, h);
    };
    if (i.complete) put();
    else i.addEventListener("load", () => now && drawRibbon(), { once: true });
  }
  function traces(pen, w, h, d) {
    const s = reading.samples,
      step = (s.step / d) * w;
    const typical = [...s.sharpness].sort((a, b) => a - b)[Math.floor(s.sharpness.length * 0.75)] || 0;
    s.motion.forEach((_, k) => {
      const left = k * step;
      if (typical > 0.02 && s.sharpness[k] < 0.6 * typical) {
        pen.fillStyle = "rgba(246,243,236,.45)";
        pen.fillRect(left, 0, step + 0.5, h);
      }
      if (s.shake[k] > 0.5) {
        pen.strokeStyle = "rgba(246,243,236,.75)";
        pen.lineWidth = 1;
        pen.beginPath();
        for (let q = 0; q < step; q += 5) {
          pen.moveTo(left + q, h);
          pen.lineTo(left + q + 5, 0);
        }
        pen.stroke();
      }
    });
    pen.beginPath();
    pen.moveTo(0, h);
    s.motion.forEach((v, k) => pen.lineTo((k + 0.5) * step, h - v * (h - 4)));
    pen.lineTo(w, h);
    pen.fillStyle = "rgba(197,138,43,.75)";
    pen.fill();
    pen.strokeStyle = "rgba(246,243,236,.8)";
    pen.lineWidth = 1;
    for (const m of reading.moments) {
      const a = (m.start / d) * w,
        b = (m.end / d) * w;
      pen.strokeRect(a + 0.5, h - 5.5, b - a - 1, 5);
    }
  }

  async function judge(said, then) {
    if (!now) return;
    const s = now;
    if (then) then();
    try {
      Object.assign(s, await ask(`/jobs/${job}/selects/${s.id}`, said));
    } catch (error) {
      Legere.say(error.message);
      await load();
      return;
    }
    if (now === s) {
      describe();
      drawRibbon();
    }
    const cell = cellOf(s);
    if (cell) dress(cell, s);
    drawFilters();
    count();
  }
  const count = () => {
    const left = all.filter(matches);
    $("left").textContent =
      `${left.length} of ${all.length} selects  ${Legere.clock(left.reduce((sum, s) => sum + s.end - s.start, 0))} left`;
    Legere.$("says-sift").textContent = `${all.filter((s) => s.tier !== "unread").length} of ${all.length} judged`;
  };
  function verdict(tier) {
    if (!now) return;
    const s = now,
      next = shown[shown.indexOf(now) + 1];
    s.tier = tier;
    judge({ do: "tier", tier }, () => {
      const cell = cellOf(s);
      if (cell) dress(cell, s);
      if (next) show(next);
      else describe();
    });
  }
  const mark = (which) => {
    loadClip();
    judge({ do: "mark", mark: which, at: video.currentTime });
  };
  const go = (n) => {
    const at = shown.indexOf(now);
    show(shown[Math.max(0, Math.min(shown.length - 1, at + n))]);
  };
  const step = (n) => {
    loadClip();
    video.pause();
    video.classList.add("on");
    const frame = Math.floor(video.currentTime * now.rate + 0.001) + n;
    video.currentTime = Math.max(0, Math.min(now.duration - 0.001, (frame + 0.5) / now.rate));
  };
  const play = () => {
    if (!now) return;
    loadClip();
    video.classList.add("on");
    Legere.startOrStop(video);
  };
  function suggest() {
    if (!reading) return;
    const list = reading.moments,
      at = list.findIndex((m) => Math.abs(m.start - now.start) < 0.05 && Math.abs(m.end - now.end) < 0.05);
    const m = list[(at + 1) % list.length];
    loadClip();
    judge({ do: "range", start: m.start, end: m.end, hit: m.hit });
    video.currentTime = m.hit;
  }

  async function load() {
    const keep = now && now.id;
    all = await ask(`/jobs/${job}/sift/selects.json`);
    drawFilters();
    narrow();
    now = null;
    const first = shown.find((s) => s.id === keep) || shown.find((s) => s.tier === "unread") || shown[0];
    if (first) show(first);
    else drawStill();
  }
  document.addEventListener("DOMContentLoaded", () => {
    for (const b of document.querySelectorAll("[data-tier]"))
      b.addEventListener("click", () => verdict(b.dataset.tier));
    for (const b of document.querySelectorAll("[data-tag]"))
      b.addEventListener("click", () => judge({ do: "tag", tag: b.dataset.tag }));
    for (const b of document.querySelectorAll("[data-mark]")) b.addEventListener("click", () => mark(b.dataset.mark));
    $("suggest").addEventListener("click", suggest);
    $("words").addEventListener("input", (e) => {
      filters.words = e.target.value;
      narrow();
      if (shown.length && !shown.includes(now)) show(shown[0]);
    });
    const ribbon = $("ribbon");
    const scrub = (e) => {
      if (!now) return;
      const box = ribbon.getBoundingClientRect();
      loadClip();
      video.pause();
      video.classList.add("on");
      const frame = Math.floor(((e.clientX - box.left) / box.width) * now.duration * now.rate);
      video.currentTime = (Math.max(0, frame) + 0.5) / now.rate;
    };
    ribbon.addEventListener("pointerdown", (e) => {
      ribbon.setPointerCapture(e.pointerId);
      scrub(e);
    });
    ribbon.addEventListener("pointermove", (e) => {
      if (e.buttons) scrub(e);
    });
    const tick = () => {
      if (now) {
        $("at-now").textContent = Legere.frames(video.currentTime, now.rate);
        drawRibbon();
      }
    };
    video.addEventListener("timeupdate", tick);
    video.addEventListener("seeked", tick);
    for (const [key, tier] of [
      ["a", "out"],
      ["s", "spare"],
      ["d", "strong"],
      ["f", "hero"],
    ])
      on(key, tier, () => verdict(tier));
    on(" ", "play and stop", play);
    on("w", "mark in", () => mark("in"));
    on("e", "mark out", () => mark("out"));
    on("r", "mark the hit", () => mark("hit"));
    on("g", "take the suggested range, again for the next", suggest);
    on("ArrowLeft", "a frame back", () => step(-1));
    on("ArrowRight", "a frame on", () => step(1));
    on("ArrowUp", "the clip before", () => go(-1));
    on("ArrowDown", "the next clip", () => go(1));
    on("/", "narrow by words", () => $("words").focus());
    const events = new EventSource(`/jobs/${job}/events`);
    let waiting = null;
    events.addEventListener("clip", () => {
      if (!waiting)
        waiting = setTimeout(async () => {
          waiting = null;
          const fresh = await ask(`/jobs/${job}/sift/selects.json`);
          if (fresh.length !== all.length) {
            const known = new Map(all.map((s) => [s.id, s]));
            all = fresh.map((s) => known.get(s.id) || s);
            drawFilters();
            narrow();
            if (!now && shown[0]) show(shown[0]);
          }
        }, 1500);
    });
    window.addEventListener("pagehide", () => events.close());
    load();
  });
  document.addEventListener("legere:changed", load);
  document.addEventListener("legere:redraw", () => {
    drawStill();
    drawRibbon();
  });
  window.addEventListener("resize", () => {
    drawStill();
    drawRibbon();
  });
})();
