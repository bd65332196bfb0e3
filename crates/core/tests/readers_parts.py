"""Reads a hand-off whose shots are held, backwards or black with libraries of others: part by part, as it was meant.

The arguments: a JSON file of what was meant, the edit decision list, the timeline. Everything is in one rate, 25.
"""

import json
import sys

import opentimelineio as otio
import pycmx
from timecode import Timecode

meant = json.load(open(sys.argv[1]))
wrong = []


def same(what, found, wanted):
    if found != wanted:
        wrong.append(f"{what}: {found}, meant {wanted}")


def timecode(frames):
    return str(Timecode("25", frames=frames + 1))


# The edit decision list, event by event.
with open(sys.argv[2]) as file:
    found = pycmx.parse_cmx3600(file)
video = [e for event in found.events for e in event.edits if e.channels.video]
same("edl events", len(video), len(meant))
record = 0
for i, (part, edit) in enumerate(zip(meant, video)):
    same(f"edl {i}, record in", edit.record_in, timecode(record))
    record += part["len"]
    same(f"edl {i}, record out", edit.record_out, timecode(record))
    same(f"edl {i}, black", edit.black, part["speed"] is None)
    if part["speed"] is not None:
        same(f"edl {i}, source in", edit.source_in, timecode(part["first"]))
        same(f"edl {i}, source out", edit.source_out, timecode(part["first"] + part["used"]))

# The timeline, child by child.
track = otio.adapters.read_from_file(sys.argv[3]).video_tracks()[0]
same("otio children", len(track), len(meant))
for i, (part, child) in enumerate(zip(meant, track)):
    same(f"otio {i}, lasts", child.duration().to_frames(), part["len"])
    same(f"otio {i}, gap", isinstance(child, otio.schema.Gap), part["speed"] is None)
    if part["speed"] is None:
        continue
    same(f"otio {i}, first", child.source_range.start_time.to_frames(), part["first"])
    effects = list(child.effects)
    if part["speed"] == 0:
        same(f"otio {i}, freeze", [type(e) for e in effects], [otio.schema.FreezeFrame])
    elif part["speed"] == 1:
        same(f"otio {i}, effects", effects, [])
    else:
        same(f"otio {i}, speed", [e.time_scalar for e in effects], [part["speed"]])

print("\n".join(wrong))
sys.exit(1 if wrong else 0)
