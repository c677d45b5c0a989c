#!/usr/bin/env python3
"""Whether two builds of the program do the same, byte for byte.

    python3 crates/bench/scripts/same.py OLD NEW [JOBS]

OLD and NEW are two built programs. Each one emits, plans, checks and draws every job of the demo and JOBS random
ones (100 where nothing is said), and looks at every drawing. Programs, pictures and reports as JSON are compared;
so are words for people, and those are told apart, since they may change. The random jobs are the same at every call.
"""

import json
import math
import pathlib
import random
import shutil
import subprocess
import sys
import tempfile

DEMO = pathlib.Path(__file__).resolve().parents[3] / "demo"
DRAWINGS = (".svg", ".dxf", ".pdf", ".png", ".jpg", ".bmp", ".gif", ".tif", ".stl")


def shapes(dice):
    """The body of a random drawing of 100 x 80 mm, in three colours and a grey fill."""
    # One of each colour, so that every step finds something.
    body = ['<rect x="2" y="2" width="5" height="4" fill="#1a1a1a"/>',
            '<rect x="92" y="2" width="5" height="4" fill="#808080"/>',
            '<path d="M2 75H9" fill="none" stroke="blue"/>',
            '<circle cx="94" cy="74" r="3" fill="none" stroke="red"/>']
    for n in range(dice.randint(1, 14)):
        x, y, size = dice.uniform(8, 88), dice.uniform(8, 68), dice.uniform(1, 9)
        paint = dice.choice(
            ['fill="none" stroke="red"', 'fill="none" stroke="blue"', 'fill="#1a1a1a"', 'fill="#808080"']
        )
        kind = dice.randrange(5)
        if kind == 0:
            body.append(f'<circle id="c{n}" cx="{x:.3f}" cy="{y:.3f}" r="{size:.3f}" {paint}/>')
        elif kind == 1:
            body.append(f'<rect x="{x:.3f}" y="{y:.3f}" width="{size:.3f}" height="{size / 2:.3f}" rx="0.4" {paint}/>')
        elif kind == 2:
            turns = sorted(dice.uniform(0, 2 * math.pi) for _ in range(5))
            points = " ".join(f"{x + size * math.cos(t):.2f},{y + size * math.sin(t):.2f}" for t in turns)
            body.append(f'<polygon points="{points}" {paint}/>')
        elif kind == 3:
            ends = [f"{x + dice.uniform(-7, 7):.2f} {y + dice.uniform(-7, 7):.2f}" for _ in range(3)]
            body.append(f'<path d="M{x:.2f} {y:.2f}C{" ".join(ends)}" fill="none" stroke="blue"/>')
        else:
            body.append(f'<ellipse cx="{x:.3f}" cy="{y:.3f}" rx="{size:.2f}" ry="{size / 2:.2f}" '
                        f'transform="rotate({dice.randint(0, 90)} {x:.2f} {y:.2f})" {paint}/>')
    return "".join(body)


def job(dice, machine):
    """A random job on `art.svg`."""
    pick = dice.choice
    place = pick(["", '[place]\nanchor = "centre"\nat = ["80 mm", "70 mm"]\n',
                  'turn = "30 deg"\n[place]\nat = ["20 mm", "20 mm"]\n',
                  '[place]\nat = ["10 mm", "10 mm"]\ncopies = { columns = 2, rows = 1, gap = "3 mm" }\n'])
    cut = pick(["", 'kerf = "0.2 mm"\n', 'passes = 2\n', 'bridges = { count = 2, width = "1 mm" }\n',
                'kerf = "0.15 mm"\nlead-in = { shape = "arc", length = "1.5 mm" }\n'])
    lines = pick(['lines = { spacing = "0.4 mm" }\n', 'lines = { spacing = "0.3 mm", angle = "35 deg" }\n',
                  'rings = { spacing = "0.4 mm" }\n', 'lines = { spacing = "0.5 mm", run-up = "2 mm" }\n'])
    order = pick(["", 'order = "as-drawn"\n'])
    return f'''tinkite = 1
machine = "{machine}"
[[artwork]]
file = "art.svg"
{place}
[[step]]
name = "dark"
take = {{ fill = "#1a1a1a" }}
make = "engrave"
speed = "150 mm/s"
power = "25 %"
{lines}
[[step]]
name = "grey"
take = {{ fill = "#808080" }}
make = "engrave"
speed = "120 mm/s"
power = "20 %"
lines = {{ spacing = "0.6 mm" }}
[[step]]
name = "score"
take = {{ stroke = "blue" }}
make = "score"
speed = "60 mm/s"
power = "15 %"
{order}
[[step]]
name = "cut"
take = {{ stroke = "red" }}
make = "cut"
speed = "20 mm/s"
power = "55 %"
{cut}
'''


def call(program, folder, words):
    """What a call gives: status, result, and words for people; files that it wrote."""
    done = subprocess.run([program, *words], cwd=folder, capture_output=True, timeout=600,
                          env={"PATH": "/usr/bin:/bin", "TINKITE_LOG": str(folder / "runs.sqlite"), "HOME": str(folder)})
    return done.returncode, done.stdout, done.stderr


def calls(folder):
    """Every call that is made in a folder: what it is called, its words, and the file that it writes."""
    for path in sorted(folder.iterdir()):
        name = path.name
        if name.endswith(".kite.toml"):
            yield f"emit {name}", ["emit", name, "-o", "-"], None
            yield f"plan {name}", ["plan", name, "--json"], None
            yield f"check {name}", ["check", name, "--json"], None
            yield f"draw {name}", ["draw", name, "-o", "out.svg", "--force"], "out.svg"
            yield f"told {name}", ["plan", name], None
        elif name.endswith(DRAWINGS):
            yield f"look {name}", ["look", name, "--json"], None
            yield f"told {name}", ["look", name], None


def compare(old, new, folder, tally):
    for title, words, file in list(calls(folder)):
        results = []
        for program in (old, new):
            status, out, err = call(program, folder, words)
            written = (folder / file).read_bytes() if file and (folder / file).exists() else b""
            if file and (folder / file).exists():
                (folder / file).unlink()
            results.append((status, out, written, err))
        same = results[0][:3] == results[1][:3]
        kind = "words" if title.startswith("told") else "results"
        tally[kind][0 if same else 1] += 1
        if results[0][0] == 0:
            tally["fine"] += 1
        if not same:
            print(f"differs: {title} in {folder.name}: status {results[0][0]} and {results[1][0]}")
        if results[0][3] != results[1][3]:
            tally["stderr"] += 1


def main():
    if len(sys.argv) < 3:
        sys.exit(__doc__)
    old, new = (str(pathlib.Path(p).resolve()) for p in sys.argv[1:3])
    many = int(sys.argv[3]) if len(sys.argv) > 3 else 100
    tally = {"results": [0, 0], "words": [0, 0], "fine": 0, "stderr": 0}
    with tempfile.TemporaryDirectory() as top:
        demo = pathlib.Path(top) / "demo"
        shutil.copytree(DEMO, demo)
        compare(old, new, demo, tally)
        for n in range(many):
            dice = random.Random(n)
            folder = pathlib.Path(top) / f"random-{n}"
            folder.mkdir()
            machine = "bench-laser"
            shutil.copy(DEMO / f"{machine}.machine.toml", folder)
            svg = f'<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="80mm" viewBox="0 0 100 80">{shapes(dice)}</svg>'
            (folder / "art.svg").write_text(svg)
            (folder / "art.kite.toml").write_text(job(dice, machine))
            compare(old, new, folder, tally)
    print(json.dumps(tally))
    sys.exit(1 if tally["results"][1] else 0)


main()
