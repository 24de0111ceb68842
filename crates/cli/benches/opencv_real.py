"""What OpenCV makes of hand-read points in real films, on the same points and with the same measure as the bench `real`.

    pip install numpy opencv-contrib-python-headless
    python3 crates/cli/benches/opencv_real.py FILMS POINTS.csv [marked|first|last]

Four methods, each used as its documentation means it, forward and backward from the one click, until they say that it is lost:
calcOpticalFlowPyrLK (window 21, four levels, there and back to a pixel), matchTemplate (TM_CCOEFF_NORMED, 21x21, 40 px round the last place,
hidden below 0.6), TrackerCSRT and TrackerKCF (a box of 25 px for a picture 360 high). *Held*: median error within 2 px or twice the label's accuracy, no
visible label off by more than 8 px, at most a tenth of them not found.
"""

import csv
import statistics
import sys
import time
from pathlib import Path

import cv2
import numpy as np

cv2.setNumThreads(1)
SIDE, REACH, FAR = 21, 40, 8.0


def points_of(path):
    points = {}
    with open(path, newline="") as file:
        for row in csv.DictReader(line for line in file if not line.startswith("#")):
            label = (
                int(row["frame"]),
                np.array([float(row["x"] or "nan"), float(row["y"] or "nan")]),
                row["visible"] == "1",
                float(row["accuracy_px"] or 2),
                row["note"].startswith("start"),
            )
            points.setdefault((row["clip"], row["point"]), []).append(label)
    return {key: sorted(labels, key=lambda label: label[0]) for key, labels in sorted(points.items())}


def frames_of(path):
    film, frames = cv2.VideoCapture(str(path)), []
    while True:
        there, frame = film.read()
        if not there:
            return frames
        frames.append(frame)


def flow(frames, grey, at, order):
    options = dict(winSize=(SIDE, SIDE), maxLevel=4)
    here, last, found = at.astype(np.float32).reshape(1, 1, 2), order[0], {}
    for frame in order[1:]:
        then, status, _ = cv2.calcOpticalFlowPyrLK(grey[last], grey[frame], here, None, **options)
        back, again, _ = cv2.calcOpticalFlowPyrLK(grey[frame], grey[last], then, None, **options)
        if not status[0, 0] or not again[0, 0] or np.linalg.norm(back - here) > 1:
            break
        here, last = then, frame
        found[frame] = then[0, 0].astype(float)
    return found


def template(frames, grey, at, order):
    pattern = cv2.getRectSubPix(grey[order[0]], (SIDE, SIDE), tuple(float(v) for v in at))
    height, width = grey[order[0]].shape
    here, found, half = at.copy(), {}, SIDE // 2
    for frame in order[1:]:
        guess = np.round(here).astype(int)
        low = np.maximum(guess - REACH - half, 0)
        high = np.minimum(guess + REACH + half + 1, [width, height])
        if np.any(high - low < SIDE):
            continue
        scores = cv2.matchTemplate(grey[frame][low[1] : high[1], low[0] : high[0]], pattern, cv2.TM_CCOEFF_NORMED)
        _, best, _, place = cv2.minMaxLoc(scores)
        if best >= 0.6:
            here = low + np.array(place) + half
            found[frame] = here.astype(float)
    return found


def tracker(make):
    def follow(frames, _, at, order):
        side = round(25 * max(1.0, frames[0].shape[0] / 360))
        height, width = frames[0].shape[:2]
        left, top = (int(round(v - side / 2)) for v in at)
        box = (max(left, 0), max(top, 0), min(side, width - max(left, 0)), min(side, height - max(top, 0)))
        off = at - np.array([box[0] + box[2] / 2, box[1] + box[3] / 2])
        one, found = make(), {}
        one.init(frames[order[0]], box)
        for frame in order[1:]:
            is_seen, (x, y, w, h) = one.update(frames[frame])
            if is_seen:
                found[frame] = np.array([x + w / 2, y + h / 2]) + off
        return found

    return follow


METHODS = {"flow": flow, "template": template, "CSRT": tracker(cv2.TrackerCSRT_create), "KCF": tracker(cv2.TrackerKCF_create)}


def start_of(labels, which):
    clear = [label for label in labels if label[2]]
    marked = [label for label in labels if label[4]]
    return {"first": clear[0], "last": clear[-1]}.get(which) or (marked or clear)[0]


def is_held(found, labels, start):
    visible = [label for label in labels if label[2] and label[0] != start[0]]
    errors = [float(np.linalg.norm(found[label[0]] - label[1])) for label in visible if label[0] in found]
    accuracy = statistics.median(label[3] for label in labels)
    missing = len(visible) - len(errors)
    is_near = bool(errors) and statistics.median(errors) <= max(2, 2 * accuracy) and max(errors) <= FAR
    return is_near and missing <= 0.1 * len(visible)


def main():
    films, points = Path(sys.argv[1]), points_of(sys.argv[2])
    starts = sys.argv[3:] or ["marked", "first", "last"]
    loaded = {clip: frames_of(films / clip) for clip in {clip for clip, _ in points}}
    grey = {clip: [cv2.cvtColor(frame, cv2.COLOR_BGR2GRAY) for frame in frames] for clip, frames in loaded.items()}
    print("| begun at | method | held | hidden labels called found | ms a frame |\n| --- | --- | --- | --- | --- |")
    for which in starts:
        for name, method in METHODS.items():
            held, wrong, hidden, count, begun = 0, 0, 0, 0, time.perf_counter()
            for (clip, _), labels in points.items():
                start = start_of(labels, which)
                ways = [
                    list(range(start[0], labels[-1][0] + 1)),
                    list(range(start[0], labels[0][0] - 1, -1)),
                ]
                found = {}
                for order in ways:
                    found |= method(loaded[clip], grey[clip], start[1], order)
                    count += len(order)
                held += is_held(found, labels, start)
                hidden += sum(not label[2] for label in labels)
                wrong += sum(not label[2] and label[0] in found for label in labels)
            cost = (time.perf_counter() - begun) * 1e3 / count
            print(f"| {which} | {name} | {held} of {len(points)} | {wrong} of {hidden} | {cost:.1f} |", flush=True)


main()
