#!/usr/bin/env python3
"""Holds travel against a near-optimal tour. For development only.

    pip install elkai
    cargo build --release -p tinkite
    python3 crates/bench/scripts/tour.py [COUNT …]

Random small closed paths, so small that a path is a point; the tour begins at the
machine's zero, visits each once and ends anywhere. The near-optimal tour is made by
a general TSP solver (Lin-Kernighan-Helsgaun), which knows nothing of lasers.
"""

import json
import math
import os
import random
import subprocess
import sys
import tempfile
import time

import elkai

TOOL = os.path.join(os.path.dirname(__file__), "../../../target/release/tinkite")
SIDE = 0.02


def job(folder, points):
    shapes = "".join(
        f'<rect x="{x - SIDE / 2:.4f}" y="{300 - y - SIDE / 2:.4f}" width="{SIDE}" height="{SIDE}" stroke="red"/>'
        for x, y in points
    )
    page = f'<svg xmlns="http://www.w3.org/2000/svg" width="400mm" height="300mm" viewBox="0 0 400 300" fill="none">{shapes}</svg>'
    with open(os.path.join(folder, "a.svg"), "w", encoding="utf-8") as file:
        file.write(page)
    with open(os.path.join(folder, "a.kite.toml"), "w", encoding="utf-8") as file:
        file.write(
            'tinkite = 1\nmachine = "bench-laser"\n[[artwork]]\nfile = "a.svg"\n[[step]]\n'
            'take = { stroke = "red" }\nmake = "cut"\nspeed = "20 mm/s"\npower = "50 %"\n'
        )


def ours(folder):
    begun = time.monotonic()
    call = [TOOL, "plan", "a.kite.toml", "--json"]
    out = subprocess.run(call, cwd=folder, capture_output=True, check=True).stdout
    return json.loads(out)["travel_mm"], time.monotonic() - begun


def near_optimal(points):
    """Length of the shortest path found from the zero through all points, mm."""
    # A path from the zero to anywhere, as a round trip: one more stop, next to the
    # zero and equally far from everything else. So the distances stay symmetrical.
    places = [(0.0, 0.0), *points]
    scale, extra, far_off = 1000, len(places), 10_000_000
    far = [[round(scale * math.dist(a, b)) for b in places] + [far_off] for a in places]
    far.append([far_off] * len(places) + [0])
    far[0][extra] = far[extra][0] = 0
    tour = elkai.DistanceMatrix(far).solve_tsp(runs=1)[:-1]
    at = tour.index(extra)
    tour = tour[at + 1 :] + tour[:at]
    tour = tour if tour[0] == 0 else tour[::-1]
    assert tour[0] == 0 and len(tour) == len(places)
    return sum(math.dist(places[a], places[b]) for a, b in zip(tour, tour[1:]))


def main():
    for count in [int(n) for n in sys.argv[1:]] or [100, 300, 1000, 2000]:
        rng = random.Random(count)
        points = [(rng.uniform(5, 395), rng.uniform(5, 295)) for _ in range(count)]
        with tempfile.TemporaryDirectory() as folder:
            job(folder, points)
            length, seconds = ours(folder)
        best = near_optimal(points)
        print(f"{count} paths: {length:.0f} mm, near-optimal {best:.0f} mm, {length / best:.3f} x, {seconds:.2f} s in all")


main()
