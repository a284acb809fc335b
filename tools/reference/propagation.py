#!/usr/bin/env python3
"""Reference values for crates/core/job/tests/reference.rs and crates/core/measure/tests/pooling.rs, by linear error
propagation in PyPI's uncertainties 3.2.2 and the t and F quantiles of scipy.

The model is the drive: fed = mark - rest, averaged over n runs, times a rule's scale; new steps = set * feed / fed.
The variance of one run is pooled: the instrument's (8 degrees of freedom: GUM G.4.2 for a doubt of a quarter) with the
scatter (n - 1). Run: python3 tools/reference/propagation.py
"""
from math import inf, sqrt
from statistics import variance

from scipy.stats import f, norm, t
from uncertainties import ufloat

NU = 1 / 2 * 0.25**-2


def drive(runs, feed, mark, half, scale, steps):
    n = len(runs)
    own = 2 * half**2 / 3
    scatter = variance(runs) if n > 1 else 0
    one = (NU * own + (n - 1) * scatter) / (NU + n - 1) if n > 1 else own
    dof_one = NU + n - 1 if n > 1 else inf
    feds = [ufloat(mark - r, sqrt(one)) for r in runs]
    factor = ufloat(1.0, scale / sqrt(3))
    fed = factor * sum(feds) / n
    part = sqrt(one / n)
    dof = inf if n == 1 else fed.s**4 / (part**4 / dof_one)
    k = norm.ppf(0.975) if dof == inf else t.ppf(0.975, dof)
    new = steps * feed / fed
    print(f"fed {fed.n:.9f} U {k * fed.s:.9f} new {new.n:.9f} U {k * new.s:.9f} dof {dof:.4f}")


drive([27.5, 27.0], 100, 120, 0.5, 0.001, 93.0)
drive([23.4], 100, 120, 0.5, 0.001, 93.0)
drive([40.0, 40.2, 39.9, 40.1], 200, 240, 0.5, 0.001, 418.6)
drive([27.5, 25.5, 29.5], 100, 120, 0.5, 0.001, 93.0)
for n in (2, 3, 5, 10):
    print(f"F(0.99, {n - 1}, 8) = {f.ppf(0.99, n - 1, NU):.9f}")
for p, dof in [(0.90, 23), (0.90, 5)]:
    print(f"one-sided 95 %, {dof}: {t.ppf(0.95, dof):.9f}")
for p, dof in [(0.95, 1), (0.95, 2), (0.95, 4), (0.95, 9), (0.95, 16.76), (0.99, 16)]:
    print(f"t({p}, {dof}) = {t.ppf((1 + p) / 2, dof):.9f}")
