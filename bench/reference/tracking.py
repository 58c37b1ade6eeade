"""The reference vision library's pyramidal tracker on listed features: milliseconds a frame, then where each ended."""
import sys, time
import cv2, numpy as np

court, work = sys.argv[1], sys.argv[2]
first, last = 1001, 1024
points = np.loadtxt(f"{work}/features.txt", dtype=np.float32) - 0.5
frames = [cv2.cvtColor(cv2.imread(f"{court}/plate.{f}.png"), cv2.COLOR_BGR2GRAY) for f in range(first, last + 1)]
best = 1e9
for run in range(5):
    at, good = points.reshape(-1, 1, 2).copy(), np.ones(len(points), bool)
    start = time.perf_counter()
    before = frames[0]
    for picture in frames[1:]:
        at, status, _ = cv2.calcOpticalFlowPyrLK(before, picture, at, None, winSize=(21, 21), maxLevel=3,
            criteria=(cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 12, 0.003))
        good &= status.ravel() == 1
        before = picture
    best = min(best, 1000 * (time.perf_counter() - start) / (last - first))
with open(f"{work}/reference.txt", "w") as out:
    out.write(f"{best}\n")
    for g, p in zip(good, at.reshape(-1, 2)):
        out.write(f"{int(g)} {p[0]} {p[1]}\n")
