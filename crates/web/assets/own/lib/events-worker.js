// @ts-check
// One stream of changes per job for all open windows: a browser keeps six connections to a server, and each stream holds one.

/** @typedef {{ source: EventSource, ports: Set<MessagePort>, opened: boolean }} Stream */

const KINDS = ["job", "import", "roll", "clip", "select", "track", "draft", "note", "pass", "handoff"];

/** Streams by address. @type {Map<string, Stream>} */
const streams = new Map();

/** @param {string} address @returns {Stream} */
function begun(address) {
  const source = new EventSource(address);
  /** @type {Stream} */
  const stream = { source, ports: new Set(), opened: false };
  /** @param {any} message */
  const pass = (message) => {
    for (const port of stream.ports) port.postMessage(message);
  };
  for (const kind of KINDS) source.addEventListener(kind, (event) => pass({ kind, data: /** @type {MessageEvent} */ (event).data }));
  source.addEventListener("missed", () => pass({ kind: "missed" }));
  source.addEventListener("open", () => {
    stream.opened = true;
    pass({ kind: "open" });
  });
  return stream;
}

/** @param {string} address @param {MessagePort} port */
function leave(address, port) {
  const stream = streams.get(address);
  if (!stream) return;
  stream.ports.delete(port);
  if (stream.ports.size) return;
  stream.source.close();
  streams.delete(address);
}

self.addEventListener("connect", (event) => {
  const port = /** @type {MessageEvent} */ (event).ports[0];
  port.addEventListener("message", ({ data }) => {
    if (data.leave) return leave(data.leave, port);
    const stream = streams.get(data.follow) || begun(data.follow);
    streams.set(data.follow, stream);
    stream.ports.add(port);
    if (stream.opened) port.postMessage({ kind: "open" });
  });
  port.start();
});
