"""What OpenCV makes of the trial shots, on the same frames and pins.

    cargo bench -p jampin-cli --profile dev --bench trials -- --frames FOLDER
    pip install numpy opencv-python-headless
    python3 crates/cli/benches/opencv_trials.py FOLDER

Two methods, each used as its documentation means it: calcOpticalFlowPyrLK from frame to frame (window as large as the pattern, four levels,
there and back, lost when that misses by more than a pixel), and matchTemplate (TM_CCOEFF_NORMED) with the first pattern round the last place,
a parabola below the pixel, hidden below 0.8.
"""

import json
import sys
from pathlib import Path

import cv2
import numpy as np

cv2.setNumThreads(1)
HALF = 0.5  # OpenCV's coordinates are those of pixel centres, ours those of corners.


def frames_of(folder, meta):
    size = meta["width"] * meta["height"]
    return np.memmap(folder / f"{meta['shot']}.grey", np.uint8, "r").reshape(-1, size)[: meta["frames"]].reshape(
        -1, meta["height"], meta["width"]
    )


def flow(frames, meta, order):
    side = meta["side"]
    options = dict(
        winSize=(side, side),
        maxLevel=4,
        criteria=(cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 40, 0.001),
    )
    at = np.array([[np.array(meta["place"][meta["first"]]) - HALF]], np.float32)
    found, last = {}, meta["first"]
    for frame in order:
        then, status, _ = cv2.calcOpticalFlowPyrLK(frames[last], frames[frame], at, None, **options)
        back, again, _ = cv2.calcOpticalFlowPyrLK(frames[frame], frames[last], then, None, **options)
        if not status[0, 0] or not again[0, 0] or np.linalg.norm(back - at) > 1:
            break
        at, last = then, frame
        found[frame] = then[0, 0] + HALF
    return found


def parabola(before, here, after):
    bend = before - 2 * here + after
    return 0.0 if abs(bend) < 1e-9 else float(np.clip(0.5 * (before - after) / bend, -0.5, 0.5))


def template(frames, meta, order):
    side, reach = meta["side"], meta["search"]
    start = np.array(meta["place"][meta["first"]]) - HALF
    pattern = cv2.getRectSubPix(frames[meta["first"]], (side, side), tuple(float(v) for v in start))
    at, velocity, found = start.copy(), np.zeros(2), {}
    half = side // 2
    for frame in order:
        guess = np.round(at + velocity).astype(int)
        low = np.maximum(guess - reach - half, 0)
        high = np.minimum(guess + reach + half + 1, [meta["width"], meta["height"]])
        if np.any(high - low < side):
            velocity[:] = 0
            continue
        scores = cv2.matchTemplate(frames[frame][low[1] : high[1], low[0] : high[0]], pattern, cv2.TM_CCOEFF_NORMED)
        _, best, _, (col, row) = cv2.minMaxLoc(scores)
        if best < 0.8:
            velocity[:] = 0
            continue
        dx = parabola(*scores[row, col - 1 : col + 2]) if 0 < col < scores.shape[1] - 1 else 0.0
        dy = parabola(*scores[row - 1 : row + 2, col]) if 0 < row < scores.shape[0] - 1 else 0.0
        place = low + [col + dx, row + dy] + half
        velocity = place - at if found else np.zeros(2)
        at = place
        found[frame] = place + HALF
    return found


def both_ways(method, frames, meta):
    first = meta["first"]
    on = method(frames, meta, range(first + 1, meta["frames"]))
    back = method(frames, meta, range(first - 1, -1, -1))
    return {**on, **back}


def figures(found, meta):
    errors = [np.linalg.norm(found[n] - meta["place"][n]) for n in found if meta["visible"][n]]
    visible = sum(meta["visible"]) - 1
    wrong = sum(not meta["visible"][n] for n in found)
    hidden = meta["frames"] - visible - 1
    rmse = float(np.sqrt(np.mean(np.square(errors)))) if errors else float("nan")
    shares = " / ".join(f"{np.mean(np.array(errors) <= most) * 100:.0f}" for most in (1, 2, 4, 8, 16)) if errors else "-"
    worst = max(errors, default=float("nan"))
    return f"{len(errors)} of {visible} | {rmse:.3f} | {worst:.3f} | {shares} | {wrong} of {hidden}"


def main(folder):
    print("| shot | pin | method | found of visible | RMSE | worst | % within 1/2/4/8/16 px | hidden called found |")
    print("| --- | --- | --- | --- | --- | --- | --- | --- |")
    for path in sorted(folder.glob("*.json")):
        meta = json.loads(path.read_text())
        if "shot" not in meta:
            continue
        frames = frames_of(folder, meta)
        for method in (flow, template):
            print(f"| {meta['shot']} | {meta['pin']} | {method.__name__} | {figures(both_ways(method, frames, meta), meta)} |")


main(Path(sys.argv[1]))
