"""Makes path.json: what other libraries make of the same values. Run again with:

    python3 -m venv v && v/bin/pip install numpy scipy filterpy hampel rdp && v/bin/python make_path.py > path.json
"""

import json
from importlib.metadata import version

import numpy as np
from filterpy.kalman import KalmanFilter
from hampel import hampel
from rdp import rdp
from scipy.signal import savgol_filter

rng = np.random.default_rng(20261126)
COUNT = 120
time = np.arange(COUNT)
course = 40 + 1.7 * time + 14 * np.sin(time / 9) + np.where(time > 70, -2.4 * (time - 70), 0)
noisy = course + rng.normal(0, 0.4, COUNT)
spiked = rng.normal(5, 0.4, COUNT)
spiked[[17, 44, 45, 90]] += [9, -7, -6, 12]

polynomials = [
    {"half": half, "degree": degree, "values": savgol_filter(noisy, 2 * half + 1, degree, mode="interp").tolist()}
    for half, degree in [(2, 2), (4, 3), (7, 2), (10, 5)]
]

marks = [
    {"half": half, "sigmas": sigmas, "marked": sorted(int(i) for i in hampel(spiked, window_size=2 * half + 1, n_sigma=float(sigmas)).outlier_indices)}
    for half, sigmas in [(3, 3), (5, 4)]
]

# Distance at equal times instead of to the line: the library takes the distance as an argument.
plane = np.column_stack([noisy, 20 + 9 * np.cos(time / 13) + rng.normal(0, 0.2, COUNT)])
timed = np.column_stack([time, plane])


def at_equal_times(point, start, end):
    share = (point[0] - start[0]) / (end[0] - start[0])
    return np.linalg.norm(point[1:] - (start[1:] + share * (end[1:] - start[1:])))


reduced = [
    {"tolerance": tolerance, "kept": np.flatnonzero(rdp(timed, epsilon=tolerance, dist=at_equal_times, return_mask=True)).tolist()}
    for tolerance in [0.5, 2.0, 8.0]
]

# White noise acceleration of density q, measured with a variance of its own on each frame.
push = 0.05
variances = rng.uniform(0.05, 0.6, COUNT)
kalman = KalmanFilter(dim_x=2, dim_z=1)
kalman.x = np.array([[noisy[0]], [0.0]])
kalman.P = np.diag([1e8, 1e8])
kalman.F = np.array([[1.0, 1.0], [0.0, 1.0]])
kalman.H = np.array([[1.0, 0.0]])
kalman.Q = push * np.array([[1 / 3, 1 / 2], [1 / 2, 1.0]])
means, covariances = [], []
for frame in range(COUNT):
    if frame > 0:
        kalman.predict()
    if frame % 11 != 5:
        kalman.update(noisy[frame], R=variances[frame])
    means.append(kalman.x.copy())
    covariances.append(kalman.P.copy())
smoothed, *_ = kalman.rts_smoother(np.array(means), np.array(covariances))

print(
    json.dumps(
        {
            "made_with": {name: version(name) for name in ["numpy", "scipy", "filterpy", "hampel", "rdp"]},
            "noisy": noisy.tolist(),
            "spiked": spiked.tolist(),
            "across_and_down": plane.tolist(),
            "savitzky_golay": polynomials,
            "hampel": marks,
            "reduced": reduced,
            "kalman": {"push": push, "variances": variances.tolist(), "missing": list(range(5, COUNT, 11)), "places": smoothed[:, 0, 0].tolist(), "velocities": smoothed[:, 1, 0].tolist()},
        }
    )
)
