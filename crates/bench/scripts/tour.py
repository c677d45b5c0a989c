#!/usr/bin/env python3
"""Holds travel against a near-optimal tour. For development only.

    pip install elkai
    cargo build --release -p tinkite
    python3 crates/bench/scripts/tour.py [COUNT …]
    python3 crates/bench/scripts/tour.py outlines [COUNT …]
    python3 crates/bench/scripts/tour.py inside-first [COUNT …]

Random small closed paths, so small that a path is a point; the tour begins at the
machine's zero, visits each once and ends anywhere. The near-optimal tour is made by
a general TSP solver (Lin-Kernighan-Helsgaun), which knows nothing of lasers.

With outlines: polygons that may be entered at any corner, as maps and emblems have
them. The solver orders them by one corner each, dynamic programming chooses the best
corners for that order, and so on in turn until nothing becomes shorter; the best of
several beginnings is what a tour is held against.
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
from elkai import _elkai

TOOL = os.path.join(os.path.dirname(__file__), "../../../target/release/tinkite")
SIDE = 0.02


def squares(points):
    """SVG of a small square at each point."""
    return "".join(
        f'<rect x="{x - SIDE / 2:.4f}" y="{300 - y - SIDE / 2:.4f}" width="{SIDE}" height="{SIDE}" stroke="red"/>'
        for x, y in points
    )


def job(folder, shapes, order="nearest"):
    page = f'<svg xmlns="http://www.w3.org/2000/svg" width="400mm" height="300mm" viewBox="0 0 400 300" fill="none">{shapes}</svg>'
    with open(os.path.join(folder, "a.svg"), "w", encoding="utf-8") as file:
        file.write(page)
    with open(os.path.join(folder, "a.kite.toml"), "w", encoding="utf-8") as file:
        file.write(
            'tinkite = 1\nmachine = "bench-laser"\n[[artwork]]\nfile = "a.svg"\n[[step]]\n'
            'take = { stroke = "red" }\nmake = "cut"\nspeed = "20 mm/s"\npower = "50 %"\n'
            f'order = "{order}"\n'
        )


def ours(folder):
    begun = time.monotonic()
    call = [TOOL, "plan", "a.kite.toml", "--json"]
    out = subprocess.run(call, cwd=folder, capture_output=True, check=True).stdout
    return json.loads(out)["travel_mm"], time.monotonic() - begun


def order_of(points):
    """The solver's order of points, from the zero."""
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
    return [n - 1 for n in tour[1:]]


def order_within(points, inside, seconds=30):
    """The solver's order of points, from the zero, where each (a, b) of inside says that a comes before b."""
    places = [(0.0, 0.0), *points]
    never, far_off, last = -1, 10_000_000, len(places)
    rows = [[round(1000 * math.dist(a, b)) for b in places] + [0] for a in places]
    for row in rows[1:]:
        row[0] = never
    rows[0][last] = far_off
    rows.append([never] * last + [0])
    for inner, outer in inside:
        rows[outer + 1][inner + 1] = never
    size = len(rows)
    with tempfile.NamedTemporaryFile("w", suffix=".sop") as file:
        file.write(f"TYPE : SOP\nDIMENSION : {size}\nEDGE_WEIGHT_TYPE : EXPLICIT\nEDGE_WEIGHT_FORMAT : FULL_MATRIX\nEDGE_WEIGHT_SECTION\n{size}\n")
        file.writelines(" ".join(map(str, row)) + "\n" for row in rows)
        file.write("EOF\n")
        file.flush()
        tour = _elkai.solve_problem(f"RUNS = 1\nTIME_LIMIT = {seconds}\nPROBLEM_FILE = {file.name}\n", "")
    order = [n - 2 for n in tour if 2 <= n < size]
    position = {n: at for at, n in enumerate(order)}
    if len(position) < len(points):
        sys.exit(f"the solver found no order of {len(points)} within {seconds} s")
    assert all(position[inner] < position[outer] for inner, outer in inside), "the solver broke the order"
    return order


def near_optimal(points):
    """Length of the shortest path found from the zero through all points, mm."""
    way = [(0.0, 0.0), *(points[n] for n in order_of(points))]
    assert len(way) == len(points) + 1
    return sum(math.dist(a, b) for a, b in zip(way, way[1:]))


def star(rng, centre, radius, corners):
    """A polygon round a place."""
    turn = rng.uniform(0, math.tau)
    return [
        (centre[0] + r * math.cos(a), centre[1] + r * math.sin(a))
        for a, r in ((turn + math.tau * n / corners, radius * rng.uniform(0.7, 1)) for n in range(corners))
    ]


def scene(kind, count, rng):
    """Polygons of a drawing of one kind, as lists of corners."""
    if kind == "map":
        columns = max(2, round(math.sqrt(count * 4 / 3)))
        rows = -(-count // columns)
        wide, high = 340 / columns, 240 / rows
        node = [
            [(30 + wide * (c + rng.uniform(-0.3, 0.3)), 30 + high * (r + rng.uniform(-0.3, 0.3))) for c in range(columns + 1)]
            for r in range(rows + 1)
        ]
        middle = {}

        def border(a, b):
            key = (min(a, b), max(a, b))
            if key not in middle:
                middle[key] = ((a[0] + b[0]) / 2 + rng.uniform(-0.1, 0.1) * wide, (a[1] + b[1]) / 2 + rng.uniform(-0.1, 0.1) * high)
            return middle[key]

        cells = []
        for r in range(rows):
            for c in range(columns):
                corners = [node[r][c], node[r][c + 1], node[r + 1][c + 1], node[r + 1][c]]
                cells.append([p for n in range(4) for p in (corners[n], border(corners[n], corners[(n + 1) % 4]))])
        return cells[:count]
    if kind == "emblem":
        # Nested and side by side, from 120 mm down to 2 mm.
        loops = []
        while len(loops) < count:
            radius = min(120, 2 / rng.uniform(0.004, 1) ** 0.7)
            centre = (rng.uniform(radius, 390 - radius) if radius < 190 else 195, rng.uniform(radius, 290 - radius) if radius < 140 else 145)
            loops.append(star(rng, centre, radius, max(5, min(60, round(radius * 1.5)))))
        return loops
    radius = 0.4 * math.sqrt(380 * 280 / count)
    return [star(rng, (rng.uniform(radius, 390 - radius), rng.uniform(radius, 290 - radius)), radius * rng.uniform(0.1, 1), rng.randint(5, 24)) for _ in range(count)]


def best_corners(loops, order):
    """Length of the best way through loops in one order, and their corners (dynamic programming)."""
    costs, back = {(0.0, 0.0): 0.0}, []
    for loop in order:
        found, came = {}, {}
        for p in loops[loop]:
            came[p], found[p] = min(((q, cost + math.dist(q, p)) for q, cost in costs.items()), key=lambda pair: pair[1])
        back.append(came)
        costs = found
    at = min(costs, key=costs.get)
    length, corners = costs[at], {}
    for loop, came in zip(reversed(order), reversed(back)):
        corners[loop] = at
        at = came[at]
    return length, corners


def area(loop):
    return abs(sum(a[0] * b[1] - b[0] * a[1] for a, b in zip(loop, loop[1:] + loop[:1]))) / 2


def contains(loop, p):
    crossed = 0
    for (ax, ay), (bx, by) in zip(loop, loop[1:] + loop[:1]):
        if (ay > p[1]) != (by > p[1]):
            crossed += p[0] < ax + (p[1] - ay) * (bx - ax) / (by - ay)
    return crossed % 2 == 1


def nested(loops):
    """Pairs of a loop and the smallest one round it, where most of up to five of its edges lie inside."""
    by_area = sorted(range(len(loops)), key=lambda n: area(loops[n]))
    pairs = []
    for at, inner in enumerate(by_area):
        loop = loops[inner]
        edges = range(0, len(loop), -(-len(loop) // 5))
        middles = [((loop[n][0] + loop[(n + 1) % len(loop)][0]) / 2, (loop[n][1] + loop[(n + 1) % len(loop)][1]) / 2) for n in edges]
        for outer in by_area[at + 1 :]:
            if 2 * sum(contains(loops[outer], p) for p in middles) > len(middles):
                pairs.append((inner, outer))
                break
    return pairs


def near_optimal_outlines(loops, rng, order_of=order_of, beginnings=4, patience=2):
    best = math.inf
    for _ in range(beginnings):
        corners = {n: rng.choice(loop) for n, loop in enumerate(loops)}
        own, tired = math.inf, 0
        while tired < patience:
            order = order_of([corners[n] for n in range(len(loops))])
            length, corners = best_corners(loops, order)
            tired = tired + 1 if length >= own - 1e-6 else 0
            own = min(own, length)
        best = min(best, own)
    return best


def outlines(counts, inside_first=False):
    for kind in ("map", "emblem", "mixed"):
        for count in counts:
            rng = random.Random(count)
            # As they are written, so that both work on the same corners.
            loops = [[(round(x, 4), round(y, 4)) for x, y in loop] for loop in scene(kind, count, rng)]
            shapes = "".join(
                f'<path d="M{" L".join(f"{x:.4f} {300 - y:.4f}" for x, y in loop)} Z" stroke="red"/>' for loop in loops
            )
            with tempfile.TemporaryDirectory() as folder:
                job(folder, shapes, "holes-first" if inside_first else "nearest")
                length, seconds = ours(folder)
            inside = nested(loops) if inside_first else []
            if inside:
                best = near_optimal_outlines(loops, rng, lambda points: order_within(points, inside), beginnings=2, patience=1)
            else:
                best = near_optimal_outlines(loops, rng)
            print(f"{kind}, {len(loops)} outlines, {len(inside)} of them inside first: {length:.0f} mm, near-optimal {best:.0f} mm, {length / best:.3f} x, {seconds:.2f} s in all", flush=True)


def main():
    if sys.argv[1:2] in (["outlines"], ["inside-first"]):
        inside_first = sys.argv[1] == "inside-first"
        outlines([int(n) for n in sys.argv[2:]] or ([40] if inside_first else [40, 150, 400]), inside_first)
        return
    for count in [int(n) for n in sys.argv[1:]] or [100, 300, 1000, 2000]:
        rng = random.Random(count)
        points = [(rng.uniform(5, 395), rng.uniform(5, 295)) for _ in range(count)]
        with tempfile.TemporaryDirectory() as folder:
            job(folder, squares(points))
            length, seconds = ours(folder)
        best = near_optimal(points)
        print(f"{count} paths: {length:.0f} mm, near-optimal {best:.0f} mm, {length / best:.3f} x, {seconds:.2f} s in all")


main()
