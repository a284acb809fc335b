#!/usr/bin/env python3
"""Reference posteriors for crates/core/diagnosis/tests/reference.rs, by PyPI's pgmpy (variable elimination in a discrete
Bayesian network). Run: wattotherm diagnose --judgement | python3 tools/reference/diagnosis.py > crates/core/diagnosis/tests/reference.json

Weights and likelihoods are the shipped judgement; what is checked is the arithmetic. Run it again when they change.
"""
import json
import sys

import pgmpy
from pgmpy.factors.discrete import TabularCPD
from pgmpy.inference import VariableElimination
from pgmpy.models import DiscreteBayesianNetwork

CASES = [
    ([], {"thin": 1, "half_print": 1}),
    (["nozzle"], {"thin": 1, "half_print": 1, "new_nozzle_for_a_while": 1, "tube_moves": 1}),
    ([], {"reads_end": 1, "at_once": 1, "pin_loose": 0}),
    (["extruder_drive"], {"since_swap": 1, "one_factor": 1, "thin": 1}),
    ([], {"nothing_comes": 1, "after_minutes": 1, "debris_in_fan": 1, "fan_wrong": 0, "sink_c": 1}),
    ([], {"hiss": 1, "strings": 1, "bubbles": 0, "other_spool_good": 1}),
    (["temperature_sensor"], {"too_hot_or_cold": 1, "ohms_wrong": 0, "other_type": 1, "jumps": 0}),
    ([], {o: 0 for o in ("thin", "nothing_comes", "clicks", "strings", "hiss", "ridges", "ringing", "swings")}),
]

model = json.load(sys.stdin)
causes = [c["id"] for c in model["causes"]]
out = {"by": f"pgmpy {pgmpy.__version__}", "cases": []}
for parts, evidence in CASES:
    weights = []
    for c in model["causes"]:
        w = c["weight"]
        if set(parts) & set(c["shaken_by"]):
            w *= 5
        if set(parts) & set(c["cured_by"]):
            w *= 0.15
        weights.append(w)
    total = sum(weights)
    net = DiscreteBayesianNetwork()
    net.add_node("cause")
    net.add_cpds(TabularCPD("cause", len(causes), [[w / total] for w in weights]))
    for o in model["observations"]:
        if o["id"] not in evidence:
            continue
        net.add_edge("cause", o["id"])
        yes = []
        for c in model["causes"]:
            shown = {s["observation"]: s["p"] for s in c["shows"]}
            yes.append(shown.get(o["id"], o["without"]))
        net.add_cpds(TabularCPD(o["id"], 2, [[1 - p for p in yes], yes], ["cause"], [len(causes)]))
    assert net.check_model()
    posterior = VariableElimination(net).query(["cause"], evidence=evidence, show_progress=False)
    out["cases"].append(
        {
            "parts": parts,
            "evidence": evidence,
            "causes": {causes[i]: float(posterior.values[i]) for i in range(len(causes))},
        }
    )
json.dump(out, sys.stdout, indent=1)
print()
