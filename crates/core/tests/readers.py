"""Reads the files of a hand-off with libraries of others, and says where they differ from what was meant.

The arguments: a JSON file of what was meant, the edit decision list, the timeline. Everything is reckoned here from rates,
frames and lengths, with the `timecode` package for timecodes, so that no mistake of the writer is repeated.
"""

import json
import sys
from fractions import Fraction

import opentimelineio as otio
import pycmx
from timecode import Timecode

meant = json.load(open(sys.argv[1]))
edl_path, otio_path = sys.argv[2], sys.argv[3]
job_rate = Fraction(meant["rate"])
wrong = []


def same(what, found, wanted):
    if found != wanted:
        wrong.append(f"{what}: {found}, meant {wanted}")


def nominal(rate):
    return -(-rate.numerator // rate.denominator)


def timecode(frames, rate, drop):
    """The timecode of a frame, counted from midnight."""
    words = {24: "23.98", 30: "29.97", 60: "59.94"}[nominal(rate)] if rate.denominator > 1 else str(rate)
    return str(Timecode(words, frames=frames + 1, force_non_drop_frame=not drop))


shots, record = [], 0
for shot in meant["shots"]:
    rate = Fraction(shot["rate"])
    used = Fraction(shot["len"]) / job_rate * Fraction(shot["speed"]) * rate
    used = max(1, int(used + Fraction(1, 2)))
    first = shot["start"] + shot["first"]
    shots.append(dict(shot, rate=rate, used=used, begin=first, record=record))
    record += shot["len"]

# The edit decision list, event by event.
with open(edl_path) as file:
    found = pycmx.parse_cmx3600(file)
video = [e for event in found.events for e in event.edits if e.channels.video]
same("video events", len(video), len(shots))
for shot, edit in zip(shots, video):
    name = shot["clip"]
    code = lambda frames: timecode(frames, shot["rate"], shot["drop"])
    same(f"edl {name}, source in", edit.source_in, code(shot["begin"]))
    same(f"edl {name}, source out", edit.source_out, code(shot["begin"] + shot["used"]))
    same(f"edl {name}, record in", edit.record_in, timecode(shot["record"], job_rate, False))
    same(f"edl {name}, record out", edit.record_out, timecode(shot["record"] + shot["len"], job_rate, False))
    same(f"edl {name}, clip name", edit.clip_name, name)
audio = [e for event in found.events for e in event.edits if e.channels.audio]
same("audio events", len(audio), 1)

# A reader that knows one rate for the whole list finds every shot, where all are of that rate.
if all(not s["drop"] and s["rate"] == job_rate for s in shots):
    strict = otio.adapters.read_from_file(edl_path, adapter_name="cmx_3600", rate=nominal(job_rate))
    clips = [c for track in strict.video_tracks() for c in track.find_clips()]
    same("edl by one rate, clips", [c.name for c in clips], [s["clip"] for s in shots])
    for shot, clip in zip(shots, clips):
        same(f"edl by one rate, {clip.name}", clip.duration().to_frames(), shot["len"])
        same(f"edl by one rate, {clip.name}, first", clip.source_range.start_time.to_frames(), shot["begin"])

# The timeline.
timeline = otio.adapters.read_from_file(otio_path)
tracks = timeline.video_tracks()
same("video tracks", len(tracks), 1)
clips = list(tracks[0].find_clips())
same("clips", [c.name for c in clips], [s["clip"] for s in shots])
for shot, clip in zip(shots, clips):
    name = shot["clip"]
    source, media = clip.source_range, clip.media_reference
    rate = float(shot["rate"])
    same(f"otio {name}, rate", round(source.start_time.rate, 9), round(rate, 9))
    same(f"otio {name}, first frame", source.start_time.to_frames(), shot["begin"])
    same(
        f"otio {name}, timecode",
        otio.opentime.to_timecode(source.start_time, rate, shot["drop"]),
        timecode(shot["begin"], shot["rate"], shot["drop"]),
    )
    same(f"otio {name}, media", media.available_range.start_time.to_frames(), shot["start"])
    same(f"otio {name}, media length", media.available_range.duration.to_frames(), shot["frames"])
    same(f"otio {name}, file", media.target_url, shot["url"])
    warps = [e.time_scalar for e in clip.effects if isinstance(e, otio.schema.LinearTimeWarp)]
    same(f"otio {name}, speed", warps, [float(Fraction(shot["speed"]))] if Fraction(shot["speed"]) != 1 else [])
    # What a timeline holds lies one behind the other, in seconds.
    begins = clip.range_in_parent().start_time.to_seconds()
    apart = abs(begins * float(job_rate) - shot["record"])
    if apart > 0.001:
        wrong.append(f"otio {name}, place: {apart:.3f} frames from what was meant")

for line in wrong:
    print(line)
sys.exit(1 if wrong else 0)
