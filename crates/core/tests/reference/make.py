"""Makes opencv.json: what OpenCV says about the same pixels. Run again with:

    python3 -m venv v && v/bin/pip install numpy opencv-python-headless && v/bin/python make.py > opencv.json
"""

import json
import sys

import cv2
import numpy as np

rng = np.random.default_rng(20261125)
SIDE = 96


def texture():
    """Smoothed noise: structure from about four pixels upwards, like a feature in a film."""
    noise = rng.standard_normal((SIDE, SIDE))
    smooth = cv2.GaussianBlur(noise, (0, 0), 1.6) * 3.2 + cv2.GaussianBlur(noise, (0, 0), 5.0) * 8.0
    return 120.0 + 42.0 * smooth


def moved(picture, dx, dy):
    """The picture moved by a fraction of a pixel, exact for a periodic picture (Fourier shift theorem)."""
    fy, fx = np.fft.fftfreq(SIDE)[:, None], np.fft.fftfreq(SIDE)[None, :]
    return np.real(np.fft.ifft2(np.fft.fft2(picture) * np.exp(-2j * np.pi * (fx * dx + fy * dy))))


def as_bytes(picture):
    return np.clip(np.rint(picture), 0, 255).astype(np.uint8)


plain = texture()
first = as_bytes(plain)

# Correlation surface: zero-mean and normalised.
template = first[30:47, 40:55]
surface = cv2.matchTemplate(first, template, cv2.TM_CCOEFF_NORMED)
places = [(int(x), int(y)) for x, y in zip(rng.integers(0, SIDE - 15, 40), rng.integers(0, SIDE - 17, 40))] + [(40, 30)]

# Alignment: pyramid Lucas-Kanade with one level and a window of 31, and the truth.
shifts = []
for dx, dy, sigma in [(0.37, -0.21, 0), (-0.5, 0.5, 0), (1.25, 0.8, 0), (0.1, 0.9, 2), (-0.73, -0.44, 2), (0.25, 0.25, 4)]:
    second = as_bytes(moved(plain, dx, dy) + sigma * rng.standard_normal((SIDE, SIDE)))
    start = np.array([[[47.0, 47.0]]], np.float32)
    criteria = (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 50, 1e-4)
    found, ok, _ = cv2.calcOpticalFlowPyrLK(first, second, start, None, winSize=(31, 31), maxLevel=0, criteria=criteria)
    assert ok[0, 0] == 1
    flow = (found - start)[0, 0]
    shifts.append({"truth": [dx, dy], "noise": sigma, "opencv": [float(flow[0]), float(flow[1])], "picture": second.ravel().tolist()})

# Corner strength: the smaller eigenvalue of the summed gradient products over a square of 15. OpenCV's own gradients differ from ours,
# so the picture is smoothed as ours is, by the same kernel (1 6 10 6 1)/24 both ways, and the gradient is that of the same cubic
# B-spline at whole pixels, which is the central difference of the picture smoothed across by 1-2-1 and down by the kernel.
def kernel(values):
    return np.array(values, np.float64)


value, slope = kernel([1, 6, 10, 6, 1]) / 24, np.convolve(kernel([1, 2, 1]) / 4, kernel([-1, 0, 1]) / 2)
grey = first.astype(np.float64)
dx = cv2.sepFilter2D(grey, cv2.CV_64F, slope, value, borderType=cv2.BORDER_REPLICATE)
dy = cv2.sepFilter2D(grey, cv2.CV_64F, value, slope, borderType=cv2.BORDER_REPLICATE)
sums = [cv2.boxFilter(product, cv2.CV_64F, (15, 15), normalize=False) for product in (dx * dx, dx * dy, dy * dy)]
corners = []
for x, y in zip(rng.integers(10, SIDE - 10, 30), rng.integers(10, SIDE - 10, 30)):
    xx, xy, yy = (float(total[y, x]) for total in sums)
    _, values, _ = cv2.eigen(np.array([[xx, xy], [xy, yy]]))
    corners.append({"x": int(x), "y": int(y), "smaller": float(values[1, 0]), "larger": float(values[0, 0])})

# And cv2.cornerMinEigenVal, with gradients of its own (Sobel): its order of places must be much like ours.
theirs = cv2.cornerMinEigenVal(first, 15, ksize=3)
for corner in corners:
    corner["sobel"] = float(theirs[corner["y"], corner["x"]])

json.dump(
    {
        "corners": corners,
        "made_with": f"opencv-python-headless {cv2.__version__}, numpy {np.__version__}",
        "side": SIDE,
        "picture": first.ravel().tolist(),
        "template": {"left": 40, "top": 30, "cols": 15, "rows": 17},
        "correlation": [{"x": x, "y": y, "score": float(surface[y, x])} for x, y in places],
        "shifts": shifts,
    },
    sys.stdout,
)
