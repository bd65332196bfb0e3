// What the pages' scripts make of what they are sent.

import type * as wire from "./wire";

declare global {
  /** A shot with its frame table unfolded. */
  type Shot = wire.ShotView & { frames: number[] };
  /** A draft with what the music says. */
  type Draft = Omit<wire.DraftView, "shots"> & wire.MusicView & { shots: Shot[] };
  /** What could stand in the place of a shot. */
  type Alternate = wire.AlternateView & { frames: number[] };
  type Select = wire.SelectRow;
  /** What a hand does, by its name, as the server takes it. */
  type Command = { do: string; [field: string]: unknown };

  /** A track that was read. */
  type Track = Omit<wire.TrackView, "reading"> & { reading: wire.TrackReading };
  /** A line of bars on the page of music. */
  type Line = { start: number; end: number; bars: wire.Beat[]; span: number; row: HTMLElement; canvas: HTMLCanvasElement };
  /** What is held of a track's marks, to be changed or moved. */
  type Held = { what: "beat" | "section" | "cue"; at: number; kind?: wire.CueKind };
  /** A way from one instant of a track to another, and how much of it is heard, 0–1. */
  type Seam = { out: number; into: number; cost: number };
  /** Where a time stands on a line, in pixels. */
  type OnLine = (seconds: number) => number;
  /** What the modules of the page of music have in common. */
  interface Listening {
    data: Track;
    /** A hundred a second; none until they are there. */
    peaks: Uint8Array | null;
    part: [number, number];
    taps: number[];
    held: Held | null;
    /** Parts of the track that a version would use which is pointed at. */
    offered?: [number, number][] | null;
    /** Versions of the wanted length were looked for. */
    offeredOnce?: boolean;
    audio: HTMLAudioElement;
    music: HTMLElement;
    sound?: AudioContext;
    whenDrawn: (act: () => void) => void;
    base: () => string;
    beats: () => wire.Beat[];
    nearest: (list: number[], to: number) => number;
    seek: (to: number) => void;
    now: () => number;
    take: (data: Track) => void;
    send: (path: string, body: object) => Promise<boolean>;
    play: () => void;
    openSound: () => AudioContext;
    tick: (when: number, accent: boolean) => OscillatorNode;
    click: () => void;
    lines: () => Line[];
    lineSeconds: () => number;
    layout: () => void;
    xOf: (line: Line, seconds: number) => number;
    timeAt: (line: Line, x: number) => number;
    drawAll: () => void;
    follow: () => void;
  }
  /** What windows that a page opens, and its libraries, add to the window. */
  interface Window {
    // biome-ignore lint/suspicious/noExplicitAny: a library without types
    Alpine: any;
    // biome-ignore lint/suspicious/noExplicitAny: a library without types
    htmx: any;
  }
}
