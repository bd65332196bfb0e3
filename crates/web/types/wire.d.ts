// What the server sends, written by a test of the crate `web`: not to be changed by hand.

export type AlternateView = { select: SelectId, clip: ClipId, name: string | null, tier: string | null, hit: number | null, media: number, energy: number, why: Array<Reason>, 
/**
 * What it would change most, as short as under a still.
 */
short: string, 
/**
 * The set-up that it is a take of.
 */
set_up: number | null, 
/**
 * What it would gain, part by part; negative is a loss.
 */
gains: Array<[Part, number]>, 
/**
 * The frames of the clip that the frames of the shot show, as runs of the same step: the first one, the step from each to the
 * next, how many there are. −1 is black.
 */
runs: Array<[number, number, number]>, 
/**
 * How far on the way to the next frame of the clip, in 256ths; left out where none is.
 */
toward?: Array<number>, };
/**
 * A beat; `beat == 1` is the downbeat. Beats before the first downbeat are in bar 0.
 */
export type Beat = { 
/**
 * In seconds.
 */
at: number, 
/**
 * Counted from 1.
 */
bar: number, 
/**
 * Its place in the bar, from 1.
 */
beat: number, 
/**
 * 0–1, how clearly it is heard: the confidence in this beat.
 */
strength: number, };
/**
 * What is shown between two frames of a clip that is slower than its frames allow.
 */
export type Between = "repeat" | "blend" | "computed";
/**
 * A stretch of a draft that is about something.
 */
export type ChapterView = { 
/**
 * In frames of the draft.
 */
from: number, to: number, words: string, 
/**
 * How many selects the words find.
 */
selects: number, };
/**
 * One recorded file.
 */
export type ClipId = string;
/**
 * What was measured in a clip. Times are seconds from the first video frame.
 */
export type ClipReading = { 
/**
 * In seconds.
 */
duration: number, 
/**
 * What was measured along time.
 */
samples: Samples, 
/**
 * Hard cuts within the file.
 */
shot_changes: Array<number>, 
/**
 * Ranges worth using, the best first.
 */
moments: Array<Moment>, 
/**
 * Which way of reading made it; none before there were several.
 */
version: number, 
/**
 * Where nothing happens for so long that nobody wants to wait.
 */
waits: Array<Stretch>, 
/**
 * Where the very same picture stands.
 */
frozen: Array<Stretch>, 
/**
 * Where something goes one way only in time: backwards it would show.
 */
one_way: Array<OneWay>, 
/**
 * What happens one after the other in a long take; empty where it is one thing.
 */
events: Array<Event>, 
/**
 * What it shows, to be compared with other clips.
 */
signatures: Array<FrameSignature>, 
/**
 * A suggestion, where the picture shows it.
 */
light: Light | null, 
/**
 * A suggestion, where the picture shows it.
 */
framing: Framing | null, };
export type CountView = { group: string, term: string, word: string, count: number, };
/**
 * A point that asks for something.
 */
export type Cue = { 
/**
 * In seconds.
 */
at: number, 
/**
 * What it does in the piece.
 */
kind: CueKind, 
/**
 * 0–1
 */
strength: number, 
/**
 * How long a pause is silent, in seconds; nothing where that was not measured, and for all other kinds.
 */
lasts?: number | null, };
/**
 * What a cue asks for.
 */
export type CueKind = "drop" | "break" | "build" | "hit" | "pause" | "pickup" | "end";
export type CueView = { at: number, kind: string, 
/**
 * How long a pause is silent, in frames.
 */
lasts: number | null, };
/**
 * How a fade goes.
 */
export type Curve = "linear" | "constant-power" | "exponential" | "eased";
/**
 * What the cuts of a section fall on.
 */
export type CutsOn = "beats" | "backbeats" | "onsets";
/**
 * What one draft has against another one, in words.
 */
export type DifferencesView = { better: Array<string>, worse: Array<string>, 
/**
 * Selects of the other one that it has not.
 */
left: Array<string>, };
/**
 * One rough cut of a job.
 */
export type DraftId = string;
export type DraftView = { id: DraftId, number: number, fps: number, choices: Array<PaceChoice>, revision: number, title: string, 
/**
 * Frames.
 */
total: number, length: string, sections: Array<SectionView>, shots: Array<ShotView>, figures: Figures, findings: Array<Finding>, 
/**
 * The heroes that are not in it, each with why.
 */
left_out: Array<LeftOutView>, 
/**
 * What counts more in it.
 */
wishes: Wishes, chapters: Array<ChapterView>, 
/**
 * The selects that it is to open and to close with.
 */
opening: SelectId | null, closing: SelectId | null, 
/**
 * Shots of which the first is to stand before the second.
 */
pairs: Array<[ShotId, ShotId]>, 
/**
 * Where each track begins.
 */
passages: Array<PassageView>, 
/**
 * Another one whenever what is heard is another.
 */
music: string, 
/**
 * What is said where there are no findings.
 */
nothing_found: string, };
/**
 * A part of a long take in which one thing happens.
 */
export type Event = { 
/**
 * In seconds.
 */
start: number, 
/**
 * In seconds, exclusive.
 */
end: number, 
/**
 * 0–100
 */
energy: number, 
/**
 * In words.
 */
what: string, };
/**
 * How it comes from silence, or goes there.
 */
export type Fade = { 
/**
 * How long it takes.
 */
milliseconds: number, 
/**
 * Its shape.
 */
curve: Curve, };
/**
 * A stretch of a clip that cannot be used; seconds from the first frame, `end` exclusive.
 */
export type Fault = { 
/**
 * Where it begins.
 */
start: number, 
/**
 * Where it ends.
 */
end: number, 
/**
 * Why.
 */
kind: FaultKind, };
/**
 * Why a stretch of a clip cannot be used.
 */
export type FaultKind = "shake" | "soft" | "dark" | "blown";
/**
 * The numbers of a draft that matter.
 */
export type Figures = { 
/**
 * How many.
 */
shots: number, 
/**
 * In frames.
 */
shortest: number, 
/**
 * In frames.
 */
longest: number, 
/**
 * In frames.
 */
average: number, 
/**
 * −1 to 1: how the energies of shots and music rise and fall together (Pearson's correlation).
 */
agreement: number, };
/**
 * A remark, with the frame it leads to.
 */
export type Finding = { 
/**
 * Where it is seen, in frames of the draft.
 */
frame: number, 
/**
 * The shot that it concerns.
 */
shot: ShotId, 
/**
 * What was found.
 */
kind: FindingKind, 
/**
 * The same in words.
 */
words: string, 
/**
 * What puts it right, where that is one thing.
 */
repair: Repair | null, };
/**
 * What is found.
 */
export type FindingKind = "energy" | "framing" | "take" | "stutter" | "backwards" | "beyond" | "fault" | "off-beat" | "twice" | "black" | "ends";
/**
 * A length in frames, never negative.
 */
export type FrameLen = number;
/**
 * What a frame shows, small enough to be compared with thousands of others.
 */
export type FrameSignature = { 
/**
 * Brightness over [`TONES`], by lines, 0–255.
 */
tones: Array<number>, 
/**
 * Blue and red difference over [`COLOURS`], by lines, −127–127.
 */
colours: Array<number>, };
/**
 * How much of the subject the picture shows.
 */
export type Framing = "wide" | "medium" | "close" | "detail" | "overhead";
/**
 * A word of a person's own: 1–40 characters, in lower case, without control characters.
 */
export type FreeWord = string;
/**
 * What could stand in a place, the best first, and what does not fit, with why.
 */
export type InsteadView = { fitting: Array<AlternateView>, unfit: Array<UnfitView>, problems: Array<string>, 
/**
 * How many there are of each word that they could be narrowed by.
 */
counts: Array<CountView>, };
/**
 * Where two spans meet. Times in seconds.
 */
export type Join = { 
/**
 * In the version.
 */
at: number, 
/**
 * In the track: where one leaves it, and where one goes on.
 */
out: number, 
/**
 * Where in the track it goes on, in seconds.
 */
into: number, };
/**
 * Where the speed of a shot becomes another one.
 */
export type KeyframeView = { 
/**
 * The frame of the shot on which it begins.
 */
at: number, 
/**
 * Frames.
 */
over: number, 
/**
 * As a factor.
 */
to: number, 
/**
 * Whether it stays on the beat that it was set on.
 */
on_beat: boolean, };
/**
 * A category of people's own, as a word in a tone.
 */
export type Label = { 
/**
 * What it says.
 */
word: FreeWord, 
/**
 * Its colour.
 */
tone: Tone, };
/**
 * The one shot that a place lacks.
 */
export type LackingView = { part: Part, words: string, 
/**
 * What narrows to the selects that could be it, in Sift.
 */
narrow: string, };
/**
 * A hero that is not in a draft.
 */
export type LeftOutView = { select: SelectId, words: string, };
/**
 * When and where a shot was recorded.
 */
export type Light = "day" | "dusk" | "night" | "inside";
/**
 * What of the marks is a person's.
 */
export type Manual = { beats: boolean, sections: boolean, cues: boolean, };
/**
 * A suggested range; times in seconds from the first frame, `end` exclusive.
 */
export type Moment = { 
/**
 * In seconds.
 */
start: number, 
/**
 * In seconds, exclusive.
 */
end: number, 
/**
 * Where it happens.
 */
hit: number, 
/**
 * 0–100
 */
energy: number, 
/**
 * In words.
 */
why: string, };
/**
 * What the music says, in the draft's own time.
 */
export type MusicView = { 
/**
 * Frame, bar, beat.
 */
beats: Array<[number, number, number]>, 
/**
 * Frames of the beats that snare or clap mark.
 */
backbeats: Array<number>, cues: Array<CueView>, 
/**
 * 0–100.
 */
energy: Trace, };
export type NarrowedView = { counts: Array<CountView>, 
/**
 * What could not be understood, in words.
 */
problems: Array<string>, } & ({ "shown": Array<SelectId> } | { "all_but": Array<SelectId> });
export type NeedView = { kind: string, shots: number, offered: number, 
/**
 * "above 70", with the roles it wants.
 */
asks: string, 
/**
 * What narrows to the selects that could fill it.
 */
words: string, };
/**
 * A remark at a time of a draft.
 */
export type NoteId = string;
export type NoteView = { id: NoteId, revision: number, frame: number, timecode: string, words: string, };
/**
 * Where something goes one way only.
 */
export type OneWay = { 
/**
 * In seconds.
 */
start: number, 
/**
 * In seconds, exclusive.
 */
end: number, 
/**
 * Which way.
 */
kind: OneWayKind, };
/**
 * What goes one way only.
 */
export type OneWayKind = "falls" | "bursts" | "walks";
export type PaceChoice = { quarters: number, words: string, };
/**
 * A part of the cost.
 */
export type Part = "energy" | "tier" | "role" | "hit" | "range" | "join";
/**
 * A round through the selects.
 */
export type PassId = string;
/**
 * A track under a stretch of the pictures.
 */
export type PassageView = { track: TrackId, name: string, 
/**
 * The shot that it begins with; none for the first.
 */
from: ShotId | null, start: number, timecode: string, 
/**
 * It is used in another way in Listen by now.
 */
changed: boolean, };
/**
 * A pause at the end of a shot, as long as the music's. It belongs to the shot before it, which it may hold the last frame of:
 * so there is no place for a gap.
 */
export type Pause = { 
/**
 * How many of the shot's frames.
 */
len: FrameLen, 
/**
 * What is seen.
 */
stop: Stop, 
/**
 * How many of its frames stand there because nothing was found for them.
 */
missing?: FrameLen, };
/**
 * What of a shot stays as it is, whatever is laid or moved around it.
 */
export type Pin = "open" | "place" | "ends" | "whole";
/**
 * How far a preview is.
 */
export type Preview = { "state": "none" } | { "state": "making", ready: number, total: number, } | { "state": "ready", key: string, } | { "state": "failed", words: string, };
/**
 * How far a pass is.
 */
export type Progress = { number: number, id: PassId | null, what: string, selects: number, 
/**
 * Not judged in this pass yet.
 */
left: number, 
/**
 * Seconds of what is left.
 */
seconds_left: number, 
/**
 * Put out in this pass.
 */
taken_out: number, place: SelectId | null, };
/**
 * Something that speaks for or against a shot, in words that stand on their own.
 */
export type Reason = { 
/**
 * The part of the cost that it is; nothing where none is.
 */
part: Part | null, 
/**
 * The words.
 */
words: string, };
/**
 * The edit that puts a finding right.
 */
export type Repair = { "do": "move-cut", 
/**
 * The shot before the cut.
 */
shot: ShotId, 
/**
 * Later, or earlier where it is negative.
 */
by: number, } | { "do": "slip", 
/**
 * The shot.
 */
shot: ShotId, 
/**
 * Later in the clip, or earlier.
 */
by: number, } | { "do": "trim-end", 
/**
 * The shot.
 */
shot: ShotId, 
/**
 * Later, or earlier.
 */
by: number, 
/**
 * Where the time comes from.
 */
from: string, };
/**
 * Traces; sample *i* stands for `i * step` to `(i + 1) * step` seconds.
 */
export type Samples = { 
/**
 * Seconds that a value stands for.
 */
step: number, 
/**
 * 0–1: how much moves, camera and subject together.
 */
motion: Array<number>, 
/**
 * 0–1: unsteadiness of the camera.
 */
shake: Array<number>, 
/**
 * 0–1: fine detail against coarse.
 */
sharpness: Array<number>, 
/**
 * 0–1: mean luma.
 */
exposure: Array<number>, 
/**
 * Frame widths a second; positive is the camera to the right.
 */
pan: Array<number>, 
/**
 * Frame heights a second; positive is the camera up.
 */
tilt: Array<number>, 
/**
 * Share of the picture a second; positive is in.
 */
zoom: Array<number>, 
/**
 * 0–1: share of the picture that is black.
 */
crushed: Array<number>, 
/**
 * 0–1: share of the picture that is white.
 */
clipped: Array<number>, 
/**
 * −1 to 1: red against blue; positive is warm.
 */
warmth: Array<number>, 
/**
 * Where what moves is, in frame widths from the middle, to the right.
 */
subject_x: Array<number>, 
/**
 * The same in frame heights, downwards.
 */
subject_y: Array<number>, };
/**
 * A part of the music.
 */
export type Section = { 
/**
 * In seconds.
 */
start: number, 
/**
 * In seconds, exclusive.
 */
end: number, 
/**
 * What it does in the piece.
 */
kind: SectionKind, 
/**
 * 0–100
 */
energy: number, 
/**
 * Which sections are the same music.
 */
label: SectionLabel, 
/**
 * Whether a person set the energy.
 */
energy_manual?: boolean, };
/**
 * What a section does in the piece.
 */
export type SectionKind = "intro" | "groove" | "build" | "drop" | "break" | "outro";
/**
 * The letter of a section's material; varied (A′) when it comes back in another dress. Written `A`, `A′`, or nothing.
 */
export type SectionLabel = string;
export type SectionView = { start: number, end: number, kind: string, energy: number, quarters: number, varied: boolean, 
/**
 * What the cuts fall on.
 */
on: CutsOn, pace: string, 
/**
 * An instant of its track that it lies over, in seconds: where a person can say how loud it is.
 */
at_track: [TrackId, number] | null, };
/**
 * A range of a clip.
 */
export type SelectId = string;
export type SelectRow = { name: string, roll: string, when: string, duration: number, rate: number, rate_words: string, 
/**
 * How many times it can be slowed.
 */
slows: number, 
/**
 * What its frame size means in the job.
 */
size: string, sound: boolean, upright: boolean, 
/**
 * How many stills there are of the clip.
 */
stills: number, 
/**
 * Of its light copy and stills.
 */
version: number, problem: string, 
/**
 * Which of the clip's selects it is, from 1, and of how many.
 */
place: number, of: number, 
/**
 * Which of several alike takes it is; nothing where it is alone.
 */
alike: Take | null, 
/**
 * What of its clip cannot be used, in the order of time, also what a person calls no fault.
 */
faults: Array<Fault>, 
/**
 * 0–1: how sharp its clip usually is.
 */
sharpness: number, 
/**
 * Its clip is softer all along than the clips of its job.
 */
soft_in_job: boolean, id: SelectId, clip: ClipId, revision: number, tier: string, tags: Array<Tag>, 
/**
 * Of its clip; they hold where its own say nothing else.
 */
clip_tags: Array<Tag>, muted: boolean, 
/**
 * What the reading of its clip calls faults and a person does not.
 */
no_faults: Array<FaultKind>, label: Label | null, 
/**
 * In which its tier was said last.
 */
pass: number, note: string, 
/**
 * Seconds of the clip.
 */
start: number, end: number, hit: number, 
/**
 * 0–100, of the range.
 */
energy: number, movement: string, };
/**
 * One shot of a draft; outlives every edit that does not remove the shot.
 */
export type ShotId = string;
export type ShotView = { id: ShotId, 
/**
 * Frames of the draft.
 */
start: number, len: number, timecode: string, clip: ClipId, select: SelectId, name: string | null, tier: string | null, framing: string | null, 
/**
 * Seconds of the clip.
 */
in: number | null, out: number | null, hit: number | null, 
/**
 * 0–100, of what is shown.
 */
energy: number, 
/**
 * The same on the music's scale.
 */
level: number, 
/**
 * 0–100, the music's here.
 */
wanted: number, pinned: boolean, 
/**
 * A person changed it: it stays when the open shots are laid again.
 */
held: boolean, 
/**
 * What of it is held: open, place, ends or whole.
 */
pin: Pin, 
/**
 * The clip's file is not where it should be.
 */
missing: boolean, why: Array<Reason>, 
/**
 * What it costs, part by part.
 */
cost: Array<[Part, number]>, 
/**
 * The one shot that would make the place better.
 */
lacking: LackingView | null, 
/**
 * Frames of the shot.
 */
hit_at: number | null, 
/**
 * Seconds of the clip: where what is shown begins, and how much of it there is.
 */
source: number, used: number, media: number, 
/**
 * The instant of the clip that stands on the frame of the hit.
 */
hit_source: number | null, 
/**
 * As a factor, up to the first keyframe; negative is backwards.
 */
speed: number, keyframes: Array<KeyframeView>, between: Between, pause: Pause | null, 
/**
 * The slowest that its frames allow, as a factor.
 */
slowest: number | null, 
/**
 * Of the clip's own frames, a second.
 */
clip_rate: number | null, 
/**
 * The frames of the clip that the frames of the shot show, as runs of the same step: the first one, the step from each to the
 * next, how many there are. −1 is black.
 */
runs: Array<[number, number, number]>, 
/**
 * How far on the way to the next frame of the clip, in 256ths; left out where none is.
 */
toward?: Array<number>, };
/**
 * How a shot stands still at its end.
 */
export type Stop = "black" | "held";
/**
 * A stretch of a clip; seconds from the first frame, `end` exclusive.
 */
export type Stretch = { 
/**
 * Where it begins.
 */
start: number, 
/**
 * Where it ends.
 */
end: number, };
/**
 * A tag, written `facet:word`.
 */
export type Tag = string;
/**
 * One of several clips that show the same.
 */
export type Take = { 
/**
 * The same number for all of them.
 */
group: number, 
/**
 * Which of them it is by recording time, from 1.
 */
take: number, of: number, };
/**
 * An order for the unread selects of a job, or why there is none yet.
 */
export type Tending = { 
/**
 * Whether it speaks.
 */
speaks: boolean, 
/**
 * How often it was right, or why it is silent.
 */
says: string, 
/**
 * The unread ones, the likeliest to be kept first.
 */
unread: Array<Tends>, };
/**
 * What is expected of an unread select.
 */
export type Tends = { select: SelectId, why: string, 
/**
 * It would probably be dropped.
 */
drops: boolean, };
/**
 * Rows of 12 pitch classes (of unit length) and 8 band levels, a byte each. Written as hexadecimal text.
 */
export type Texture = { rows: Array<number>, };
/**
 * The tone of a label: a colour of ink, by which people tell their own heaps apart.
 */
export type Tone = "straw" | "clay" | "moss" | "sky" | "plum" | "ash";
/**
 * Values along time: value *i* stands for `i * step` to `(i + 1) * step` seconds.
 */
export type Trace = { 
/**
 * Seconds that a value stands for.
 */
step: number, 
/**
 * The values.
 */
values: Array<number>, };
/**
 * A piece of music.
 */
export type TrackId = string;
/**
 * What was measured in a track. Times are seconds from the first sample.
 */
export type TrackReading = { 
/**
 * The version of the reading that it was made by.
 */
version: number, 
/**
 * In seconds.
 */
duration: number, 
/**
 * The most common tempo, in beats a minute, between 60 and 180.
 */
tempo_bpm: number, 
/**
 * 0–1, how clearly the music beats.
 */
confidence: number, 
/**
 * In order.
 */
beats: Array<Beat>, 
/**
 * In order, from the beginning to the end.
 */
sections: Array<Section>, 
/**
 * In order.
 */
cues: Array<Cue>, 
/**
 * Along time, 0–100.
 */
energy: Trace, 
/**
 * Programme loudness in LUFS (EBU R 128).
 */
loudness: number, 
/**
 * Momentary loudness in LUFS, of the 400 ms around each step: what the loudness of a part is made of.
 */
momentary?: Trace, 
/**
 * Where something begins, to the millisecond: what marks set by hand snap to.
 */
onsets?: Array<number>, 
/**
 * The beats that snare or clap mark: where pictures change when the action is on the other beats.
 */
backbeats?: Array<number>, 
/**
 * What it sounds like along time.
 */
texture?: Texture, };
export type TrackView = { revision: number, reading: TrackReading | null, metre: number | null, version: VersionView | null, name: string, manual: Manual, };
export type UnfitView = { select: SelectId, name: string, why: string, };
export type VersionView = { 
/**
 * LUFS.
 */
loudness: number | null, 
/**
 * Starts and ends in the track, in seconds.
 */
spans: Array<[number, number]>, joins: Array<Join>, 
/**
 * Seconds.
 */
duration: number, stretch: number, fade_in: Fade, fade_out: Fade, 
/**
 * Hundredths of a decibel.
 */
level: number, };
/**
 * A draft as it is watched.
 */
export type WatchView = { notes: Array<NoteView>, 
/**
 * Seconds.
 */
target: number | null, id: DraftId, number: number, fps: number, choices: Array<PaceChoice>, revision: number, title: string, 
/**
 * Frames.
 */
total: number, length: string, sections: Array<SectionView>, shots: Array<ShotView>, figures: Figures, findings: Array<Finding>, 
/**
 * The heroes that are not in it, each with why.
 */
left_out: Array<LeftOutView>, 
/**
 * What counts more in it.
 */
wishes: Wishes, chapters: Array<ChapterView>, 
/**
 * The selects that it is to open and to close with.
 */
opening: SelectId | null, closing: SelectId | null, 
/**
 * Shots of which the first is to stand before the second.
 */
pairs: Array<[ShotId, ShotId]>, 
/**
 * Where each track begins.
 */
passages: Array<PassageView>, 
/**
 * Another one whenever what is heard is another.
 */
music: string, 
/**
 * What is said where there are no findings.
 */
nothing_found: string, };
/**
 * What counts more than usual in one draft, as an editor says it.
 */
export type Wishes = { 
/**
 * Follow the energy of the music more.
 */
energy: boolean, 
/**
 * Stay in the order in which it was shot.
 */
order: boolean, 
/**
 * Fewer framings that are alike behind each other.
 */
framings: boolean, };
