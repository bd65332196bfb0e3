// @ts-check
// A light copy taken apart: what the decoder must know, and where each frame lies. The index stands at the front of the file,
// so a long clip is not fetched whole: only the parts that are shown.

/** @typedef {{ at: number, size: number, whole: boolean }} Sample */
/** @typedef {{ config: any, samples: Sample[], bytes: (from: number, to: number) => Promise<Uint8Array> }} Film */

/** Fetched at once while the index is looked for. */
const FIRST = 256 << 10;
/** Files up to this size are fetched whole, with the index. */
const SMALL = 24 << 20;

/** @type {Promise<any> | null} */
let library = null;
// A variable address: the type checker needs not look into the library.
const address = "/assets/vendor/mp4box/mp4box.all.mjs";
const mp4box = () => (library ??= import(address));

/** @param {string} url @param {number} from @param {number} to exclusive */
async function range(url, from, to) {
  const answer = await fetch(url, { headers: { range: `bytes=${from}-${to - 1}` } });
  if (!answer.ok) throw new Error("the light copy is not there");
  const total = Number(answer.headers.get("content-range")?.split("/")[1] || answer.headers.get("content-length"));
  return { bytes: new Uint8Array(await answer.arrayBuffer()), total };
}

/** What the decoder needs to know of the coding: the avcC box (ISO/IEC 14496-15) without its head.
 * @param {any} lib @param {any} file @param {number} track */
function description(lib, file, track) {
  for (const entry of file.getTrackById(track).mdia.minf.stbl.stsd.entries) {
    if (!entry.avcC) continue;
    const stream = new lib.DataStream(undefined, 0, lib.Endianness.BIG_ENDIAN);
    entry.avcC.write(stream);
    return new Uint8Array(stream.buffer.slice(8));
  }
  throw new Error("the light copy cannot be decoded");
}

/** @param {string} url @returns {Promise<Film>} */
export async function open(url) {
  const lib = await mp4box();
  const file = lib.createFile();
  /** @type {Uint8Array[]} */
  const parts = [];
  let have = 0,
    total = Infinity;
  /** @type {any} */
  let info = null;
  file.onReady = (/** @type {unknown} */ found) => (info = found);
  /** @type {string | null} */
  let wrong = null;
  file.onError = (/** @type {string} */ error) => (wrong = error);
  while (!info && have < total) {
    const piece = await range(url, have, have + (have ? 1 << 20 : FIRST));
    total = piece.total;
    const buffer = lib.MP4BoxBuffer.fromArrayBuffer(piece.bytes.slice().buffer, have);
    file.appendBuffer(buffer);
    parts.push(piece.bytes);
    have += piece.bytes.length;
    if (wrong || !piece.bytes.length) throw new Error("the light copy cannot be read");
  }
  const track = info?.videoTracks[0];
  if (!track) throw new Error("the light copy has no pictures");
  const samples = file
    .getTrackSamplesInfo(track.id)
    .map((/** @type {{ offset: number, size: number, is_sync: boolean }} */ s) => ({ at: s.offset, size: s.size, whole: s.is_sync }));
  const config = {
    codec: track.codec,
    codedWidth: track.video.width,
    codedHeight: track.video.height,
    description: description(lib, file, track.id),
    optimizeForLatency: true,
  };
  /** @type {Promise<Uint8Array> | null} */
  let all = null;
  const joined = async () => {
    const rest = have < total ? (await range(url, have, total)).bytes : new Uint8Array();
    const whole = new Uint8Array(have + rest.length);
    let at = 0;
    for (const part of [...parts, rest]) {
      whole.set(part, at);
      at += part.length;
    }
    parts.length = 0;
    return whole;
  };
  const bytes = async (/** @type {number} */ from, /** @type {number} */ to) => {
    if (total > SMALL) return (await range(url, from, to)).bytes;
    all ??= joined();
    return (await all).subarray(from, to);
  };
  return { config, samples, bytes };
}
