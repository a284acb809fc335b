"""Times of random tool paths by a fine integrator, for crates/core/toolpath/tests/path_time.json.

Needs numpy. Another way than the planner: the path is cut into steps of a few micrometres; at each the largest speed is worked out
anew from direction and limits, corners by their angle; speed is then integrated forward and backward over
the grid, and time summed up as step over mean speed.

    python3 tools/reference/path_time.py > crates/core/toolpath/tests/path_time.json
"""

import json
import math
import random

import numpy as np

STEP = 0.004
FILAMENT = math.pi / 4 * 1.75**2


def angle_corner(limits, a, b, accel):
    """Speed at a corner between two directions (x, y, z, e per mm)."""
    if "junction_mm" in limits:
        dot = max(-1.0, min(1.0, sum(p * q for p, q in zip(a[:3], b[:3]))))
        inner = math.pi - math.acos(dot)
        if math.pi - inner < 1e-5:
            return math.inf
        s = math.sin(inner / 2)
        return math.sqrt(accel * limits["junction_mm"] * s / (1 - s))
    speed = math.inf
    for axis, p, q in zip("xyze", a, b):
        if abs(q - p) > 1e-4:
            speed = min(speed, limits["jerk_mm_s"][axis] / abs(q - p))
    return speed


def grid(move, limits):
    """Step lengths, speed limits and accelerations along one move, and its end directions."""
    n = max(2, int(move["length"] / STEP))
    t = (np.arange(n) + 0.5) / n
    e = move["e"] / move["length"]
    if move["kind"] == "arc":
        ang = move["from"] + t * move["sweep"]
        way = math.copysign(1, move["sweep"])
        dirs = np.stack([-np.sin(ang) * way, np.cos(ang) * way, np.zeros(n)], 1)
    else:
        dirs = np.repeat([move["dir"]], n, 0)
    top = np.full(n, move["f"] / 60)
    acc = np.full(n, limits["accel_mm_s2"] if move["e"] > 0 else limits["travel_accel_mm_s2"])
    if move["kind"] == "e":
        top[:] = min(move["f"] / 60, limits["max_speed_mm_s"]["e"])
        acc[:] = limits["max_accel_mm_s2"]["e"]
    else:
        parts = [np.abs(dirs[:, i]) for i in range(3)] + [np.full(n, abs(e))]
        if move["kind"] == "arc":
            # The acceleration of a curve is that of its hardest place, and its speed that of its fastest axis.
            parts = [np.full(n, p.max()) for p in parts]
        for axis, part in zip("xyze", parts):
            part = np.maximum(part, 1e-12)
            top = np.minimum(top, limits["max_speed_mm_s"].get(axis, 1e9) / part)
            acc = np.minimum(acc, limits["max_accel_mm_s2"].get(axis, 1e9) / part)
        if move["e"] > 0 and "flow_limit_mm3_s" in limits:
            top = np.minimum(top, limits["flow_limit_mm3_s"] / (e * FILAMENT))
        if move["kind"] == "arc":
            a = min([limits["accel_mm_s2"]] + [limits["max_accel_mm_s2"].get(k, 1e9) for k in "xy"])
            top = np.minimum(top, math.sqrt(a * move["radius"]))
    ends = [list(dirs[0]) + [e], list(dirs[-1]) + [e]]
    if move["kind"] == "arc":
        for i, at in enumerate([move["from"], move["from"] + move["sweep"]]):
            way = math.copysign(1, move["sweep"])
            ends[i] = [-math.sin(at) * way, math.cos(at) * way, 0.0, e]
    return np.full(n, move["length"] / n), top, acc, ends


def seconds(moves, limits):
    ds, top, acc, caps = [], [], [], {}
    last, count = None, 0
    for m in moves:
        d, t, a, ends = grid(m, limits)
        if last is None or m["kind"] == "e" or last["kind"] == "e":
            caps[count] = 0.0
        else:
            caps[count] = angle_corner(limits, last["leaves"], ends[0], min(a[0], last["acc"]))
        ds.append(d), top.append(t), acc.append(a)
        count += len(d)
        last = {"kind": m["kind"], "leaves": ends[1], "acc": a[-1]}
    ds, top, acc = map(np.concatenate, (ds, top, acc))
    node = np.empty(len(ds) + 1)
    node[0] = node[-1] = 0.0
    node[1:-1] = np.minimum(top[:-1], top[1:])
    for at, cap in caps.items():
        node[at] = min(node[at], cap)
    v2 = node**2
    gain = 2 * acc * ds
    for i in range(len(ds)):
        v2[i + 1] = min(v2[i + 1], v2[i] + gain[i])
    for i in range(len(ds) - 1, -1, -1):
        v2[i] = min(v2[i], v2[i + 1] + gain[i])
    v = np.sqrt(v2)
    # Within a step with a rest at both ends the mean of the ends is no speed: those steps are gone through by their ramp.
    mean = (v[:-1] + v[1:]) / 2
    time = np.where(mean > 0, ds / np.maximum(mean, 1e-12), 2 * np.sqrt(ds / acc))
    return float(time.sum())


def case(r, nth):
    limits = {
        "accel_mm_s2": r.choice([800.0, 1500.0, 3000.0]),
        "travel_accel_mm_s2": r.choice([1000.0, 2500.0]),
        "max_speed_mm_s": {"x": r.choice([80.0, 300.0]), "y": 250.0, "z": 10.0, "e": r.choice([8.0, 40.0])},
        "max_accel_mm_s2": {"x": 4000.0, "y": r.choice([700.0, 4000.0]), "z": 200.0, "e": r.choice([500.0, 2000.0])},
    }
    if nth % 2:
        limits["junction_mm"] = r.choice([0.01, 0.05, 0.1])
    else:
        limits["jerk_mm_s"] = {"x": r.choice([5.0, 10.0]), "y": 8.0, "z": 0.4, "e": r.choice([1.0, 5.0])}
    if nth % 3:
        limits["flow_limit_mm3_s"] = r.choice([6.0, 12.0])
    text, moves = ["M83", "G90", "G92 X0 Y0 Z0"], []
    at = [0.0, 0.0, 0.0]
    for _ in range(r.randint(25, 60)):
        f = r.choice([900, 1800, 3600, 6000, 9000])
        what = r.random()
        if what < 0.12:
            e = r.choice([-1, 1]) * round(r.uniform(0.4, 6), 3)
            text.append(f"G1 E{e} F{f}")
            moves.append({"kind": "e", "dir": [0.0, 0.0, 0.0], "length": abs(e), "e": e, "f": f})
        elif what < 0.3:
            radius, a, turn = round(r.uniform(2, 25), 3), r.uniform(0, 6.28), r.choice([-1, 1]) * r.uniform(0.3, 5.5)
            c = [at[0] - radius * math.cos(a), at[1] - radius * math.sin(a)]
            to = [round(c[0] + radius * math.cos(a + turn), 9), round(c[1] + radius * math.sin(a + turn), 9)]
            e = round(r.choice([0, 0.04]) * radius * abs(turn), 6)
            g = "G3" if turn > 0 else "G2"
            text.append(f"{g} X{to[0]:.9f} Y{to[1]:.9f} I{c[0] - at[0]:.9f} J{c[1] - at[1]:.9f} E{e} F{f}")
            moves.append({"kind": "arc", "length": radius * abs(turn), "radius": radius, "from": a, "sweep": turn, "e": e, "f": f})
            at = to + [at[2]]
        else:
            size = r.choice([0.3, 2, 10, 40])
            to = [round(at[0] + r.uniform(-size, size), 3), round(at[1] + r.uniform(-size, size), 3), at[2]]
            if what > 0.95:
                to[2] = round(at[2] + 0.2, 3)
            d = [q - p for p, q in zip(at, to)]
            length = math.sqrt(sum(x * x for x in d))
            if length < 0.02:
                continue
            e = round(r.choice([0, 0.033, 0.06]) * length, 6)
            text.append(f"G1 X{to[0]} Y{to[1]} Z{to[2]} E{e} F{f}")
            moves.append({"kind": "line", "length": length, "dir": [x / length for x in d], "e": e, "f": f})
            at = to
    return {"text": "\n".join(text), "limits": limits, "seconds": seconds(moves, limits)}


r = random.Random(20261126)
print(json.dumps([case(r, i) for i in range(20)], indent=1))
