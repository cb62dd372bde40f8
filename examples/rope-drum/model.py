"""The rope drum of a hoist. Rope Bench starts this program once and asks it for each design: one line of JSON-RPC 2.0 on the
standard input, one line as answer. Whatever is written to the standard error is shown where an evaluation fails."""

import json
import math
import sys

DENSITY = 7.85e-6  # of steel, kg/mm^3
PITCH = 1.05  # of the grooves, in rope diameters


def drum(drum_diameter, drum_length, rope_diameter, load, lift):
    """Sizes in mm, load in kN, lift in m."""
    wraps = math.floor(drum_length / (PITCH * rope_diameter))
    layers, held, arms = 0, 0.0, []
    while held < 1000 * lift:
        layers += 1
        if layers > 6:
            raise ValueError(f"{held / 1000:.1f} m of rope are six layers, and {lift:g} m are wanted: lengthen the drum")
        arm = (drum_diameter + (2 * layers - 1) * rope_diameter) / 2
        held += wraps * 2 * math.pi * arm
        arms.append(arm)
    wall = 6 + 0.02 * drum_diameter
    torque = load * arms[-1]
    return {
        "outputs": {
            "mass": DENSITY * math.pi * drum_diameter * wall * drum_length,
            "torque": torque,
            "layers": layers,
            "bend": drum_diameter / rope_diameter,
            "pull": {"layer": list(range(1, layers + 1)), "force": [torque / arm for arm in arms]},
        },
        "gradient": {
            "mass": {
                "drum_diameter": DENSITY * math.pi * drum_length * (6 + 0.04 * drum_diameter),
                "drum_length": DENSITY * math.pi * drum_diameter * wall,
                "rope_diameter": 0,
            },
            "bend": {"drum_diameter": 1 / rope_diameter, "drum_length": 0, "rope_diameter": -drum_diameter / rope_diameter**2},
        },
    }


for line in sys.stdin:
    question = json.loads(line)
    answer = {"jsonrpc": "2.0", "id": question["id"]}
    try:
        answer["result"] = drum(**question["params"]["inputs"])
    except ValueError as wrong:
        answer["error"] = {"code": 1, "message": str(wrong)}
    print(json.dumps(answer), flush=True)
