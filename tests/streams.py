"""Random streams of events, awkward on purpose: twins of one id, undos of undos, equal times, undos of what comes later.

``python -m tests.streams FILE`` writes a thousand of them with their state, which the browser's fold must reach too.
"""

import json
import sys
from pathlib import Path
from random import Random

from ewerer.core.documents.event import NEEDS, Event
from ewerer.core.documents.parse import parse_document
from ewerer.core.record.fold import fold

STEPS = [
    "isolate:unit-U1",
    "isolate:sun-U.2-1",
    "isolate:loads",
    "isolate:dead",
    "proof:transfer",
    "enter:U1:fill-volts",
    "enter:U.2:action.mode",
    "join:rest:M1",
]
TEXTS = ["", "no second person", "Ω über alles", "\U0001f50b low", "\ue000", "a\nb"]
PEOPLE = ["A. Reed", "B. Moor", "Ç. Öz"]


def random_event(dice: Random, number: int, known: list[str]) -> dict:
    kind = dice.choice([*NEEDS, "reading", "done", "undo", "undo"])
    event = {
        "ewerer": "event/1",
        "id": f"e{dice.randrange(number + 4):03d}" if dice.random() < 0.15 else f"e{number:03d}",
        "at": f"2026-05-04T09:{dice.randrange(3):02d}:{dice.randrange(4):02d}.{dice.choice([0, 0, 250]):03d}Z",
        "by": dice.choice(PEOPLE),
        "kind": kind,
    }
    maybe = {
        "step": dice.choice(STEPS),
        "name": dice.choice(["volts", "amps", "owner"]),
        "value": dice.choice([0.0, -0.0, 53.06, 1e-7, 1e9, -2.5, 7]),
        "shown": dice.choice(["53.06", "yes", "On", ""]) if kind == "as-found" else dice.choice(["53.06", "yes", "On"]),
        "unit": "V",
        "verdict": dice.choice(["pass", "fail", "unsure"]),
        "text": dice.choice(TEXTS),
        "low": 1,
        "high": 2.5,
        "meter": {"name": "M", "pct": 0.5, "digits": 3, "step": 0.01},
        "device": dice.choice(["U1", "U.2"]),
        "setting": dice.choice(["fill-volts", "rest"]),
        "target": dice.choice(known or ["e000"]) if dice.random() < 0.9 else f"e{dice.randrange(40):03d}",
        "photo": f"p{dice.randrange(5)}",
        "entry": {"kind": dice.choice(["fault", "note", "limit"]), "text": dice.choice(TEXTS), "count": 2},
    }
    for name, value in maybe.items():
        if name in NEEDS[kind] or dice.random() < 0.4:
            event[name] = value
    if kind == "renamed":
        event["shown"] = dice.choice(["U1", "U.2", "M1", "X9"])
    if kind in ("override", "skipped", "undo"):
        event["text"] = "for a reason"
    return parse_document(Event, json.loads(json.dumps(event))).to_data()


def random_stream(seed: int) -> list[dict]:
    """Return a stream of up to forty events, some of them twice, in any order."""
    dice = Random(f"stream {seed}")
    events: list[dict] = []
    for number in range(dice.randint(0, 40)):
        events.append(random_event(dice, number, [e["id"] for e in events]))
    events += [dict(e) for e in events if dice.random() < 0.2]
    dice.shuffle(events)
    return events


if __name__ == "__main__":
    streams = [random_stream(seed) for seed in range(1000)]
    path = Path(sys.argv[1])
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(json.dumps([{"events": s, "state": fold(s)} for s in streams]))
