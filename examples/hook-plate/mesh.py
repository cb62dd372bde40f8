"""Meshes a quarter of the side plate of a hook block, with a lightening hole in its middle, for CalculiX.

    mesh.py ELEMENTS THICKNESS HOLE_WIDTH HOLE_HEIGHT ROUNDNESS HEAD

ELEMENTS is how many stand along the hole, an even number: many for the last word, few for a first one. Sizes in mm. The hole is
a superellipse of that ROUNDNESS, 2 for an ellipse; HEAD is the width of the plate at its head, where the pull of the rope comes in.
"""

import math
import sys

WIDTH, HEIGHT, PULL = 200.0, 320.0, 180e3  # of the whole plate, in mm and N


def half_width(y, head):
    """Of the plate at a height above its middle: constant up to a quarter of it, and from there straight to the head."""
    from_here = HEIGHT / 4
    return WIDTH / 2 if y <= from_here else WIDTH / 2 + (head - WIDTH) / 2 * (y - from_here) / (HEIGHT / 2 - from_here)


def on_edge(share, head):
    """A point of the outer edge: share runs from 0 at the middle of the side over 1 at the corner to 2 at the middle of the head."""
    if share <= 1:
        y = HEIGHT / 2 * share
        return half_width(y, head), y
    return head / 2 * (2 - share), HEIGHT / 2


def on_hole(angle, a, b, roundness):
    c, s = math.cos(angle), math.sin(angle)
    return a * max(c, 0) ** (2 / roundness), b * max(s, 0) ** (2 / roundness)


def quarter_area(a, b, roundness):
    """Of the hole: 4 of them are the hole."""
    return a * b * math.gamma(1 + 1 / roundness) ** 2 / math.gamma(1 + 2 / roundness)


def main():
    elements = int(sys.argv[1])
    thickness, hole_width, hole_height, roundness, head = map(float, sys.argv[2:])
    a, b = hole_width / 2, hole_height / 2
    around, outward = elements, elements // 2
    number, nodes = {}, []
    for i in range(2 * around + 1):
        angle = math.pi / 2 * i / (2 * around)
        inner, outer = on_hole(angle, a, b, roundness), on_edge(i / around, head)
        for j in range(2 * outward + 1):
            if i % 2 == 1 and j % 2 == 1:
                continue
            t = (j / (2 * outward)) ** 1.5  # small elements at the hole
            number[i, j] = len(nodes) + 1
            nodes.append((inner[0] + t * (outer[0] - inner[0]), inner[1] + t * (outer[1] - inner[1])))
    with open("plate.inp", "w") as deck:
        print("*NODE, NSET=ALL", file=deck)
        for k, (x, y) in enumerate(nodes, 1):
            print(f"{k}, {x:.6f}, {y:.6f}, 0", file=deck)
        print("*ELEMENT, TYPE=CPS8, ELSET=PLATE", file=deck)
        n = 0
        for i in range(0, 2 * around, 2):
            for j in range(0, 2 * outward, 2):
                n += 1
                corners = [(i, j), (i, j + 2), (i + 2, j + 2), (i + 2, j)]
                middles = [(i, j + 1), (i + 1, j + 2), (i + 2, j + 1), (i + 1, j)]
                print(", ".join(map(str, [n] + [number[at] for at in corners + middles])), file=deck)
        edges = {
            "MIDDLE": [number[0, j] for j in range(2 * outward + 1)],
            "AXIS": [number[2 * around, j] for j in range(2 * outward + 1)],
            "HEAD": [number[i, 2 * outward] for i in range(around, 2 * around + 1)],
        }
        for name, members in edges.items():
            print(f"*NSET, NSET={name}", file=deck)
            for k in members:
                print(f"{k},", file=deck)
        print("*MATERIAL, NAME=STEEL\n*ELASTIC\n210000, 0.3", file=deck)
        print(f"*SOLID SECTION, ELSET=PLATE, MATERIAL=STEEL\n{thickness}", file=deck)
        print("*BOUNDARY\nAXIS, 1, 1\nMIDDLE, 2, 2", file=deck)
        print("*STEP\n*STATIC\n*CLOAD", file=deck)
        for k, node in enumerate(edges["HEAD"]):
            weight = 4 if k % 2 == 1 else 1 if k in (0, len(edges["HEAD"]) - 1) else 2
            print(f"{node}, 2, {PULL / 2 * weight / (3 * around):.8f}", file=deck)
        print("*NODE PRINT, NSET=HEAD\nU\n*EL PRINT, ELSET=PLATE\nS\n*END STEP", file=deck)
    steps = 2000
    plate = sum(half_width(HEIGHT / 2 * (k + 0.5) / steps, head) for k in range(steps)) * HEIGHT / 2 / steps
    print(f"mass {4 * 7.85e-6 * thickness * (plate - quarter_area(a, b, roundness)):.6f} kg")


main()
