"""Makes motion.json: what other libraries fit to the same places. Run again with:

    python3 -m venv v && v/bin/pip install numpy opencv-python-headless scikit-image && v/bin/python make_motion.py > motion.json
"""

import json
from importlib.metadata import version

import cv2
import numpy as np
from skimage.transform import EuclideanTransform, SimilarityTransform

rng = np.random.default_rng(20261126)
corners = np.array([[212.0, 118.0], [871.5, 96.0], [905.0, 548.0], [188.5, 590.0], [512.0, 240.0], [640.0, 455.0]])
truth = np.array([[0.94, -0.21, 83.0], [0.17, 1.08, -64.0], [0.00011, -0.00016, 1.0]])


def through(matrix, places):
    out = np.hstack([places, np.ones((len(places), 1))]) @ matrix.T
    return out[:, :2] / out[:, 2:]


def least_squares(kind, source, target):
    transform = kind.from_estimate(source, target) if hasattr(kind, "from_estimate") else kind()
    return transform.params.tolist()


def affine(source, target):
    solution, *_ = np.linalg.lstsq(np.hstack([source, np.ones((len(source), 1))]), target)
    return [*solution.T.tolist(), [0.0, 0.0, 1.0]]


cases = []
for count in (4, 5, 6):
    source = corners[:count]
    target = through(truth, source) + rng.normal(0, 0.6, (count, 2))
    homography, _ = cv2.findHomography(source, target, 0)
    cases.append(
        {
            "from": source.tolist(),
            "to": target.tolist(),
            "rotation": least_squares(EuclideanTransform, source, target),
            "scale": least_squares(SimilarityTransform, source, target),
            "affine": affine(source, target),
            "perspective": homography.tolist(),
        }
    )

versions = {name: version(name) for name in ("numpy", "opencv-python-headless", "scikit-image")}
print(json.dumps({"versions": versions, "cases": cases}, indent=1))
