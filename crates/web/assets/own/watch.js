"use strict";
(() => {
  const { $, ask, on, el, svg, tone } = Legere;
  const job = Legere.job(),
    draft = $("draft"),
    video = $("video");
  let d = null,
    noteFrame = 0;
  const path = () => `/jobs/${job}/drafts/${draft.dataset.draft}`;
  const frame = () => Math.floor(video.currentTime * d.fps + 0.01);
  const seek = (f) => {
    video.currentTime = (Math.max(0, Math.min(d.total - 1, f)) + 0.5) / d.fps;
  };

  async function make() {
    // One changed shot is ready in under a second; a whole draft takes longer, and asking costs what rendering needs.
    for (let wait = 120; ; wait = Math.min(600, wait * 1.3)) {
      const p = await ask(`${path()}/preview`);
      if (p.state === "ready") {
        $("making").textContent = "";
        const src = `/media/previews/${p.key}.mp4`;
        if (!video.src.endsWith(src)) video.src = src;
        video.dataset.ready = p.key;
        return;
      }
      if (p.state === "failed") {
        $("making").textContent = p.words;
        return;
      }
      $("making").textContent = `making the preview: ${p.ready} of ${p.total} shots`;
      await new Promise((done) => setTimeout(done, wait));
    }
  }
  function drawLine() {
    const line = $("line"),
      inside = [],
      x = (f) => (f / d.total) * 760;
    d.shots.forEach((s, i) => {
      const h = Math.max(3, (s.energy / 100) * 44);
      const r = svg("rect", {
        class: "line-shot",
        x: x(s.start),
        y: 48 - h,
        width: x(s.len),
        height: h,
        fill: tone(s.energy),
      });
      r.append(svg("title", {}, `shot ${i + 1}, ${s.name}`));
      inside.push(r);
    });
    for (const n of d.notes) inside.push(svg("circle", { class: "note", cx: x(n.frame), cy: 54, r: 4 }));
    const f = frame();
    inside.push(svg("line", { class: "now", x1: x(f), x2: x(f), y1: 0, y2: 60 }));
    line.replaceChildren(...inside);
    const s = d.shots.findIndex((q) => f < q.start + q.len);
    $("at").textContent =
      `${Legere.frames(f / d.fps, d.fps)}  shot ${s < 0 ? d.shots.length : s + 1} of ${d.shots.length}`;
  }
  function drawLists() {
    const f = d.figures,
      target = d.target ? `, wanted ${Legere.clock(d.target)}` : "";
    Legere.figures($("figures"), [
      `${d.length}${target}`,
      `${f.shots} shots`,
      `${(f.shortest / d.fps).toFixed(2)}–${(f.longest / d.fps).toFixed(2)} s, average ${(f.average / d.fps).toFixed(2)}`,
      `agreement ${f.agreement.toFixed(2)}`,
    ]);
    const go = (f) => {
      video.pause();
      seek(f);
    };
    $("notes").replaceChildren(
      ...d.notes.map((n) => {
        const li = el("li"),
          b = el("button", { class: "go", type: "button" }, `${n.timecode.slice(3)}  ${n.words}`),
          r = el("button", { class: "link", type: "button", "aria-label": `remove the note ${n.words}` }, "remove");
        b.addEventListener("click", () => go(n.frame));
        r.addEventListener("click", async () => {
          d.notes = await ask(`${path()}/notes/${n.id}`, undefined, "DELETE");
          drawLists();
          drawLine();
        });
        li.append(b, document.createTextNode(" "), r);
        return li;
      }),
    );
    if (!d.notes.length) $("notes").append(el("li", { class: "quiet" }, "None yet. Press M while it runs."));
    const list = d.findings.length
      ? d.findings
      : [{ words: "nothing found: no gaps, no repeats, every cut on its mark", frame: null }];
    $("findings").replaceChildren(
      ...list.map((q) => {
        const li = el("li"),
          b = el("button", { type: "button" }, q.words);
        if (q.frame !== null) b.addEventListener("click", () => go(q.frame));
        li.append(b);
        return li;
      }),
    );
    $("says-watch").textContent =
      d.notes.length === 1 ? "1 note" : d.notes.length ? `${d.notes.length} notes` : "no notes";
  }
  const play = () => {
    Legere.startOrStop(video);
  };
  function note() {
    noteFrame = frame();
    $("note-at").textContent = Legere.frames(noteFrame / d.fps, d.fps);
    $("note-form").hidden = false;
    $("note-words").value = "";
    $("note-words").focus();
  }
  const shot = (n) => {
    const f = frame(),
      i = d.shots.findIndex((q) => f < q.start + q.len),
      s = d.shots[Math.max(0, Math.min(d.shots.length - 1, i + n))];
    seek(s.start);
  };
  async function load() {
    d = await ask(`${path()}/watch.json`);
    drawLists();
    drawLine();
    await make();
  }
  document.addEventListener("DOMContentLoaded", () => {
    if (!draft) return;
    $("play").addEventListener("click", play);
    $("note").addEventListener("click", note);
    $("note-form").addEventListener("submit", async (e) => {
      e.preventDefault();
      d.notes = await ask(`${path()}/notes`, { frame: noteFrame, words: $("note-words").value });
      $("note-form").hidden = true;
      $("note-words").blur();
      drawLists();
      drawLine();
    });
    $("line").addEventListener("pointerdown", (e) => {
      const box = $("line").getBoundingClientRect();
      seek(Math.floor(((e.clientX - box.left) / box.width) * d.total));
    });
    const tick = () => {
      if (d) drawLine();
      if (!video.paused) requestAnimationFrame(tick);
    };
    video.addEventListener("play", tick);
    video.addEventListener("seeked", () => d && drawLine());
    on(" ", "play and stop", play);
    on("m", "a note here, while it runs", note);
    on("ArrowLeft", "a frame back", () => {
      video.pause();
      seek(frame() - 1);
    });
    on("ArrowRight", "a frame on", () => {
      video.pause();
      seek(frame() + 1);
    });
    on(",", "the shot before", () => shot(-1));
    on(".", "the next shot", () => shot(1));
    document.addEventListener("legere:changed", load);
    document.addEventListener("legere:redraw", () => d && drawLine());
    load();
  });
})();
