"use strict";
(() => {
  const { $, ask, on, el, css, tone } = Legere;
  let data = null,
    peaks = null,
    lines = [],
    part = [0, 0],
    drawnAt = -1;
  const music = $("music"),
    audio = $("audio");
  const BARS = 8;
  // Room at both ends of a line for the signs that stand on its first and last beat.
  const INSET = 8;

  // One line of music: eight bars, so that what repeats stands under itself.
  function phrases() {
    const r = data.reading,
      bars = r.beats.filter((b) => b.beat === 1);
    const out = [];
    if (!bars.length) return [{ start: 0, end: r.duration, bars: [] }];
    if (bars[0].at > 0.3) out.push({ start: 0, end: bars[0].at, bars: [] });
    for (let i = 0; i < bars.length; i += BARS)
      out.push({
        start: bars[i].at,
        end: bars[i + BARS] ? bars[i + BARS].at : r.duration,
        bars: bars.slice(i, i + BARS),
      });
    return out;
  }
  function layout() {
    const full = Math.max(
      ...phrases()
        .filter((p) => p.bars.length === BARS)
        .map((p) => p.end - p.start),
      1,
    );
    lines = phrases().map((p) => ({
      ...p,
      span: p.bars.length === BARS ? p.end - p.start : Math.max(full, p.end - p.start),
    }));
    music.replaceChildren(
      ...lines.map((line) => {
        const row = el("div", { class: "phrase" }),
          margin = el("div", { class: "margin" }),
          canvas = el("canvas");
        const section =
          data.reading.sections.find((s) => s.start >= line.start - 0.3 && s.start < line.end - 0.3) ||
          data.reading.sections.find((s) => s.start <= line.start && s.end > line.start);
        if (section) {
          const starts = section.start >= line.start - 0.3;
          margin.append(
            el("b", {}, starts ? section.kind : ""),
            el("span", {}, starts ? `${Math.round(section.energy)}` : `${section.kind}, on`),
          );
        }
        row.append(margin, canvas);
        line.row = row;
        line.canvas = canvas;
        canvas.addEventListener("pointerdown", (e) => {
          const box = canvas.getBoundingClientRect();
          seek(line.start + ((e.clientX - box.left - INSET) / (box.width - 2 * INSET)) * line.span);
        });
        return row;
      }),
    );
  }
  const energyAt = (t) => {
    const e = data.reading.energy;
    return e.values[Math.min(e.values.length - 1, Math.max(0, Math.floor(t / e.step)))] || 0;
  };
  const loudAt = (a, b) => {
    let m = 0;
    for (let i = Math.floor(a * 100); i < Math.max(Math.ceil(b * 100), a * 100 + 1) && i < peaks.length; i++)
      m = Math.max(m, peaks[i]);
    return m / 255;
  };

  function drawLine(line, playhead) {
    const { pen, w, h } = Legere.crisp(line.canvas);
    const scale = (w - 2 * INSET) / line.span;
    const x = (t) => INSET + (t - line.start) * scale,
      top = 16,
      base = h - 13,
      room = base - top;
    const ink = css("--ink"),
      quiet = css("--quiet"),
      act = css("--act");
    const end = Math.min(line.end, line.start + line.span);
    for (let px = INSET; px < x(end); px += 2) {
      const e = energyAt(line.start + (px - INSET) / scale);
      pen.fillStyle = tone(e);
      pen.globalAlpha = 0.5;
      const eh = (e / 100) * room;
      pen.fillRect(px, base - eh, 2, eh);
    }
    pen.globalAlpha = 1;
    pen.fillStyle = ink;
    for (let px = INSET; px < x(end); px++) {
      const t = line.start + (px - INSET) / scale,
        v = (loudAt(t, t + 1 / scale) * room) / 2;
      pen.fillRect(px, top + room / 2 - v, 1, Math.max(1, 2 * v));
    }
    pen.strokeStyle = quiet;
    pen.fillStyle = quiet;
    pen.font = "11px AtkinsonMono, monospace";
    for (const b of data.reading.beats) {
      if (b.at < line.start - 0.01 || b.at >= end - 0.01) continue;
      const px = Math.round(x(b.at)) + 0.5;
      pen.beginPath();
      pen.strokeStyle = b.beat === 1 ? ink : quiet;
      pen.moveTo(px, b.beat === 1 ? top - 4 : base);
      pen.lineTo(px, base + 4);
      pen.stroke();
      if (b.beat === 1) pen.fillText(b.bar, px + 2, h - 1);
    }
    for (const s of data.reading.sections)
      if (s.start > line.start + 0.3 && s.start < end - 0.3) {
        pen.fillStyle = ink;
        pen.font = "500 15px Alegreya, serif";
        pen.fillText(s.kind, x(s.start) + 4, 12);
        pen.fillRect(x(s.start) - 1, 2, 2, base - 2);
      }
    for (const c of data.reading.cues)
      if ((c.at >= line.start - 0.05 && c.at < end - 0.05) || (c.kind === "end" && line === lines[lines.length - 1]))
        sign(pen, c, Math.min(x(c.at), w - INSET), top, base, w, x, line);
    const inside = part[0] < line.end - 0.05 && part[1] > line.start + 0.05;
    line.row.classList.toggle("outside", !inside);
    pen.fillStyle = css("--paper");
    pen.globalAlpha = 0.62;
    if (inside && part[0] > line.start + 0.02) pen.fillRect(0, 0, x(part[0]), h);
    if (inside && part[1] < end - 0.02) pen.fillRect(x(part[1]), 0, w, h);
    pen.globalAlpha = 1;
    if (playhead >= line.start && playhead < end) {
      pen.fillStyle = act;
      pen.fillRect(x(playhead) - 1, 4, 2, h - 8);
    }
  }
  // The signs of musical notation, drawn: accent for a drop, breath mark for a break, hairpin for a build, caesura for a pause, final bar line for the end.
  function sign(pen, cue, px, top, base, w, x, line) {
    pen.strokeStyle = css("--act");
    pen.fillStyle = css("--act");
    pen.lineWidth = 2;
    pen.font = "12px Atkinson, sans-serif";
    pen.beginPath();
    if (cue.kind === "drop") {
      pen.moveTo(px - 5, 12);
      pen.lineTo(px, 2);
      pen.lineTo(px + 5, 12);
      pen.stroke();
      pen.fillText("drop", px + 9, 11);
    } else if (cue.kind === "break") {
      pen.arc(px + 2, 6, 4, -1.6, 1.2);
      pen.stroke();
      pen.fillText("break", px + 11, 11);
    } else if (cue.kind === "build") {
      const s = data.reading.sections.find((q) => Math.abs(q.start - cue.at) < 0.1),
        e = Math.min(x(s ? s.end : cue.at + 4), w - 2);
      pen.lineWidth = 1.2;
      pen.moveTo(e, 2);
      pen.lineTo(px + 4, 7);
      pen.lineTo(e, 12);
      pen.stroke();
    } else if (cue.kind === "pause") {
      pen.moveTo(px, 13);
      pen.lineTo(px + 5, 2);
      pen.moveTo(px + 5, 13);
      pen.lineTo(px + 10, 2);
      pen.stroke();
    } else if (cue.kind === "end") {
      pen.fillStyle = css("--ink");
      pen.fillRect(px - 6, top, 1.5, base - top);
      pen.fillRect(px - 2, top, 4, base - top);
    }
    pen.lineWidth = 1;
  }
  function drawOverview(playhead) {
    const { pen, w, h } = Legere.crisp($("overview"));
    const d = data.reading.duration;
    for (let px = 0; px < w; px += 3) {
      const t = (px / w) * d,
        v = (loudAt(t, t + (3 / w) * d) * h) / 2,
        inside = t >= part[0] && t < part[1];
      pen.fillStyle = inside ? css("--ink") : css("--rule");
      pen.fillRect(px, h / 2 - v, 2, Math.max(1, 2 * v));
    }
    pen.strokeStyle = css("--quiet");
    pen.strokeRect((part[0] / d) * w + 0.5, 0.5, ((part[1] - part[0]) / d) * w - 1, h - 1);
    pen.fillStyle = css("--act");
    pen.fillRect((playhead / d) * w - 1, 0, 2, h);
  }
  function drawAll() {
    if (!data || !peaks) return;
    for (const line of lines) drawLine(line, audio.currentTime);
    drawOverview(audio.currentTime);
    const words = (t) => {
      const b = data.reading.beats.filter((q) => q.at <= t + 0.02).pop();
      return b ? `bar ${b.bar}` : "start";
    };
    $("part").textContent =
      `part ${Legere.clock(part[0])}–${Legere.clock(part[1])}, ${(part[1] - part[0]).toFixed(2)} s, from ${words(part[0])}; ${data.reading.tempo_bpm.toFixed(1)} beats a minute`;
  }
  function follow() {
    if (data && peaks && audio.currentTime !== drawnAt) {
      for (const line of lines)
        if (
          (drawnAt >= line.start && drawnAt < line.end) ||
          (audio.currentTime >= line.start && audio.currentTime < line.end)
        )
          drawLine(line, audio.currentTime);
      drawOverview(audio.currentTime);
      drawnAt = audio.currentTime;
    }
    requestAnimationFrame(follow);
  }
  const seek = (t) => {
    audio.currentTime = Math.max(0, Math.min(t, data.reading.duration - 0.01));
  };
  const nearestBeat = (t) =>
    data.reading.beats.reduce(
      (best, b) => (Math.abs(b.at - t) < Math.abs(best - t) ? b.at : best),
      t > data.reading.duration - 0.3 ? data.reading.duration : 0,
    );
  async function setPart(next) {
    try {
      await ask(`/jobs/${Legere.job()}/tracks/${music.dataset.track}/part`, { start: next[0], end: next[1] });
      part = next;
      drawAll();
    } catch (error) {
      Legere.say(error.message);
    }
  }
  const startHere = () => {
    const length = part[1] - part[0],
      t = nearestBeat(audio.currentTime);
    setPart([t, Math.min(data.reading.duration, Math.max(part[1], t + Math.min(length, 2)))]);
  };
  const endHere = () => setPart([part[0], nearestBeat(audio.currentTime)]);
  const play = () => {
    audio.paused ? audio.play() : audio.pause();
  };
  async function load() {
    data = await ask(`/jobs/${Legere.job()}/tracks/${music.dataset.track}/reading.json`);
    if (!peaks)
      peaks = new Uint8Array(await (await fetch(`/media/tracks/${music.dataset.track}/peaks.bin`)).arrayBuffer());
    part = data.part || [0, data.reading.duration];
    layout();
    drawAll();
    music.dataset.ready = "yes";
  }
  document.addEventListener("DOMContentLoaded", () => {
    if (!music) return;
    $("play").addEventListener("click", play);
    $("start-here").addEventListener("click", startHere);
    $("end-here").addEventListener("click", endHere);
    $("choose").addEventListener("click", async () => {
      await ask(`/jobs/${Legere.job()}/tracks/${music.dataset.track}/choose`, {});
      location.reload();
    });
    $("overview").addEventListener("pointerdown", (e) => {
      const box = e.target.getBoundingClientRect();
      seek(((e.clientX - box.left) / box.width) * data.reading.duration);
    });
    on(" ", "play and stop", play);
    on("i", "the part starts at the beat here", startHere);
    on("o", "the part ends at the beat here", endHere);
    const beat = (n) => {
      const list = data.reading.beats,
        at = list.findIndex((b) => b.at > audio.currentTime + 0.03);
      const i = n > 0 ? at : (at < 0 ? list.length : at) - 2;
      if (list[i]) seek(list[i].at);
    };
    on("ArrowLeft", "a beat back", () => beat(-1));
    on("ArrowRight", "a beat on", () => beat(1));
    const bar = (n) => seek(audio.currentTime + n * (lines[0] ? lines[0].span / BARS : 2));
    on("ArrowUp", "eight bars back", () => bar(-BARS));
    on("ArrowDown", "eight bars on", () => bar(BARS));
    document.addEventListener("legere:changed", load);
    document.addEventListener("legere:redraw", drawAll);
    window.addEventListener("resize", drawAll);
    document.fonts.ready.then(load).then(() => requestAnimationFrame(follow));
  });
})();
