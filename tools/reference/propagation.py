#!/usr/bin/env python3
"""Reference values for crates/core/job/tests/reference.rs, by linear error propagation in PyPI's
uncertainties 3.2.2 and the t quantiles of scipy.

The model is the drive: fed = mark - rest, averaged over n runs, times a rule's scale; new steps =
set * feed / fed. Run: python3 tools/reference/propagation.py
"""
from math import sqrt

from scipy.stats import norm, t
from uncertainties import ufloat


def drive(runs, feed, mark, half, scale, steps):
    rests = [ufloat(r, half / sqrt(3)) for r in runs]
    marks = [ufloat(mark, half / sqrt(3)) for _ in runs]
    factor = ufloat(1.0, scale / sqrt(3))
    fed = factor * sum(m - r for m, r in zip(marks, rests)) / len(runs)
    new = steps * feed / fed
    k = norm.ppf(0.975)
    print(f"fed {fed.n:.9f} U {k * fed.s:.9f} new {new.n:.9f} U {k * new.s:.9f}")


drive([27.5, 27.0], 100, 120, 0.5, 0.001, 93.0)
drive([23.4], 100, 120, 0.5, 0.001, 93.0)
drive([40.0, 40.2, 39.9, 40.1], 200, 240, 0.5, 0.001, 418.6)
for p, dof in [(0.95, 1), (0.95, 2), (0.95, 4), (0.95, 9), (0.95, 16.76), (0.99, 16)]:
    print(f"t({p}, {dof}) = {t.ppf((1 + p) / 2, dof):.9f}")
