"""What OpenCV makes of the area trials, beside ours. Needs numpy and opencv-python-headless.

    JAMPIN_AREA_TRIALS=FOLDER cargo test -p jampin-core --lib area:: -- --nocapture
    python3 areas_opencv.py FOLDER

For each trial the worst corner of the face over all frames, in pixels, by three ways:
- chained: corners (Shi & Tomasi), pyramid Lucas-Kanade from frame to frame, a homography by RANSAC, chained to the first
- features: SIFT matched with the first frame, a homography by RANSAC
- ECC (Evangelidis & Psarakis 2008) against the first frame, begun where the frame before ended
"""
import json
import sys
from pathlib import Path

import cv2
import numpy as np


def corners(homography, face):
    return cv2.perspectiveTransform(face[None], homography)[0]


def chained(frames, mask, _):
    total, maps = np.eye(3), [np.eye(3)]
    for before, after in zip(frames, frames[1:]):
        h, w = before.shape
        here = cv2.warpPerspective(mask, total, (w, h))
        points = cv2.goodFeaturesToTrack(before, 300, 0.01, 5, mask=here)
        if points is not None:
            to, ok, _ = cv2.calcOpticalFlowPyrLK(before, after, points, None, winSize=(21, 21), maxLevel=4)
            good = ok.ravel() == 1
            if good.sum() >= 8:
                step, _ = cv2.findHomography(points[good], to[good], cv2.RANSAC, 1.0)
                if step is not None:
                    total = step @ total
        maps.append(total)
    return maps


def features(frames, mask, _):
    sift, matcher = cv2.SIFT_create(), cv2.BFMatcher()
    points, words = sift.detectAndCompute(frames[0], mask)
    maps = [np.eye(3)]
    for frame in frames[1:]:
        others, found = sift.detectAndCompute(frame, None)
        good = []
        if found is not None and words is not None and len(found) > 1:
            good = [a for a, b in matcher.knnMatch(words, found, k=2) if a.distance < 0.75 * b.distance]
        last = maps[-1]
        if len(good) >= 8:
            a = np.float32([points[m.queryIdx].pt for m in good])
            b = np.float32([others[m.trainIdx].pt for m in good])
            now, _ = cv2.findHomography(a, b, cv2.RANSAC, 1.0)
            last = now if now is not None else last
        maps.append(last)
    return maps


def ecc(frames, mask, _):
    until = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 100, 1e-6)
    maps = [np.eye(3)]
    for frame in frames[1:]:
        start = maps[-1].astype(np.float32)
        try:
            _, found = cv2.findTransformECC(frames[0], frame, start.copy(), cv2.MOTION_HOMOGRAPHY, until, mask, 5)
        except cv2.error:
            found = start
        maps.append(found.astype(float))
    return maps


for file in sorted(Path(sys.argv[1]).glob("*.json")):
    truth = json.loads(file.read_text())
    width, height = truth["size"]
    frames = np.frombuffer(file.with_suffix(".gray").read_bytes(), np.uint8).reshape(-1, height, width)
    # OpenCV counts from the middle of the first pixel.
    face = np.array(truth["face"], np.float64) - 0.5
    mask = np.zeros((height, width), np.uint8)
    cv2.fillPoly(mask, [np.round(face).astype(np.int32)], 255)
    shift = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    exact = [np.linalg.inv(shift) @ np.array(rows) @ shift for rows in truth["maps"]]
    out = []
    for way in (chained, features, ecc):
        maps = way(list(frames), mask, face)
        off = [np.abs(np.linalg.norm(corners(m, face) - corners(t, face), axis=1)).max() for m, t in zip(maps, exact)]
        out.append(f"{way.__name__} {max(off):.2f}")
    print(f"{file.stem}: " + ", ".join(out))
