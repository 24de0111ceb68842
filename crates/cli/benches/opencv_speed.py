"""What OpenCV's pyramid Lucas-Kanade takes for the frames and pins of the speed benchmark, on one thread.

    cargo bench -p jampin-cli --profile dev --bench speed -- --frames FOLDER
    python3 crates/cli/benches/opencv_speed.py FOLDER

Once with the pyramids made anew for each pair of frames, which is how it is commonly called, and once there and back as well, which is
what it takes to know whether a point was lost.
"""

import json
import sys
import time
from pathlib import Path

import cv2
import numpy as np

cv2.setNumThreads(1)
folder = Path(sys.argv[1])
meta = json.loads((folder / "speed.json").read_text())
size = meta["width"] * meta["height"]
frames = np.fromfile(folder / "speed.grey", np.uint8).reshape(-1, meta["height"], meta["width"])
options = dict(winSize=(31, 31), maxLevel=3, criteria=(cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 30, 0.002))


def run(count, back):
    points = np.array(meta["spots"][:count], np.float32).reshape(-1, 1, 2) - 0.5
    begun = time.perf_counter()
    for before, after in zip(frames, frames[1:]):
        then, _, _ = cv2.calcOpticalFlowPyrLK(before, after, points, None, **options)
        if back:
            cv2.calcOpticalFlowPyrLK(after, before, then, None, **options)
        points = then
    return (time.perf_counter() - begun) * 1e6 / (len(frames) - 1) / count


print("| pins | one way, us/frame and pin | there and back |")
print("| --- | --- | --- |")
for count in (1, 8, 64):
    one, both = (min(run(count, back) for _ in range(3)) for back in (False, True))
    print(f"| {count} | {one:.0f} | {both:.0f} |")
