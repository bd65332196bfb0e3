"use strict";
// Lines change while the clips are read: only what changed is fetched, so that a thousand lines stay still.
(() => {
  const { $ } = Legere;
  const changed = new Set();
  let waiting = null;
  let wholeAt = 0;
  let whole = false;

  const rolls = () => $("rolls");
  const address = () => rolls().dataset.address;

  // Puts what has changed among what is the same: two thousand lines that were all replaced would stop the page for a
  // second each time. Parts are known by their ids; the inside of a [data-parts] is laid in the same way.
  function lay(old, fresh) {
    let at = old.firstElementChild;
    for (const part of [...fresh.children]) {
      const known = part.id ? $(part.id) : at;
      const here = known && known.parentNode === old;
      const open = "parts" in part.dataset;
      if (here && (open || known.isEqualNode(part))) {
        if (known === at) at = at.nextElementSibling;
        else old.insertBefore(known, at);
        if (open) lay(known, part);
      } else {
        old.insertBefore(part, at);
        if (here && known === at) at = at.nextElementSibling;
        if (here) known.remove();
      }
    }
    while (at) {
      const next = at.nextElementSibling;
      at.remove();
      at = next;
    }
  }
  // The way in which htmx swaps the rolls; the fetching and what goes elsewhere on the page stay its own work.
  htmx.defineExtension("lay", {
    isInlineSwap: (style) => style === "lay",
    handleSwap(style, target, fragment) {
      if (style === "lay") lay(target, fragment);
      return style === "lay";
    },
  });

  async function refresh() {
    waiting = null;
    const unknown = [...changed].some((id) => !$(`clip-${id}`));
    // Recording times are known once a clip is read, so the order is laid anew now and then.
    const now = Date.now();
    if (whole || unknown || now - wholeAt > 8000) {
      wholeAt = now;
      whole = false;
      changed.clear();
      await htmx.ajax("GET", `${address()}/gather/rolls`, { source: "#rolls", target: "#rolls", swap: "lay" });
      return;
    }
    const ids = [...changed].slice(0, 100);
    for (const id of ids) changed.delete(id);
    await htmx.ajax("GET", `${address()}/gather/lines?clips=${ids.join(",")}`, { target: "#rolls", swap: "none" });
    for (const id of ids) {
      const line = $(`clip-${id}`);
      const mark = $(`mark-${id}`);
      if (line && mark) mark.setAttribute("class", `mark ${line.dataset.state}`);
    }
    const busy = document.querySelector("tr[data-state=waiting], tr[data-state=reading]");
    if (!busy) whole = true;
    if (changed.size || whole) later();
  }
  function later() {
    if (!waiting) waiting = setTimeout(refresh, 700);
  }

  document.addEventListener("DOMContentLoaded", () => {
    const events = new EventSource(`${address()}/events`);
    events.addEventListener("clip", (event) => {
      if (event.data === "all") whole = true;
      else changed.add(event.data);
      later();
    });
    events.addEventListener("track", () => {
      whole = true;
      later();
    });
    // What happened between the page and the stream is fetched once.
    events.addEventListener("open", () => {
      whole = true;
      later();
    });
    window.addEventListener("pagehide", () => events.close());
  });
})();
