"""Reference values for crates/core/looks, by general-purpose libraries (numpy, scipy, scikit-learn, choix from PyPI).

Run: python3 tools/reference/looks.py  from the root of the project; it writes the pairs and prints the rest.
"""

import json
import random

import choix
import numpy as np
from scipy.optimize import minimize
from scipy.stats import f as fisher
from sklearn.metrics import cohen_kappa_score


def pairs():
    """Strengths by two of choix's algorithms, which must agree."""
    rng = random.Random(7)
    for n, games in [(3, 30), (5, 80), (8, 240)]:
        true = [0.6 * i for i in range(n)]
        wins = []
        while len(wins) < games:
            a, b = rng.sample(range(n), 2)
            p = 1 / (1 + np.exp(true[b] - true[a]))
            wins.append((a, b) if rng.random() < p else (b, a))
        one = choix.ilsr_pairwise(n, wins)
        other = choix.mm_pairwise(n, wins, max_iter=100_000, tol=1e-12)
        assert np.allclose(one, other - other.mean(), atol=1e-5)
        yield wins, [float(v) for v in one - one.mean()]


def kappas():
    rng = random.Random(3)
    for n, k in [(12, 3), (40, 5), (25, 9)]:
        a = [rng.randrange(k) for _ in range(n)]
        b = [x if rng.random() < 0.7 else rng.randrange(k) for x in a]
        yield a, b, float(cohen_kappa_score(a, b))


def broken():
    """The same model by scipy's simplex from many starts; the interval by a bisection of its own."""
    rng = np.random.default_rng(5)
    for level, k, falls in [(1.0, 12.0, 0.05), (0.98, 9.0, 0.12), (1.02, 15.0, 0.03)]:
        x = np.arange(4.0, 25.0, 2.0)
        y = level - falls * np.maximum(0, x - k) + rng.normal(0, 0.004, len(x))
        y = np.round(y, 4)

        def sse(p):
            c, b, kk = p
            return float(np.sum((y - c + b * np.maximum(0, x - kk)) ** 2))

        fits = [minimize(sse, [1.0, 0.05, s], method="Nelder-Mead",
                         options={"xatol": 1e-10, "fatol": 1e-14, "maxiter": 20000, "maxfev": 20000})
                for s in np.arange(5.0, 22.0, 1.0)]
        best = min(fits, key=lambda r: r.fun)
        c, b, kk = best.x
        at = kk + 0.05 * c / b
        own = 0.005
        n = len(x)
        s2 = (8 * own**2 + best.fun) / (8 + n - 3)
        most = best.fun + fisher.ppf(0.95, 1, 8 + n - 3) * s2

        def profile(a):
            def inner(p):
                cc, kk = p
                if kk >= a - 1e-5:
                    return 1e9
                return float(np.sum((y - cc * (1 - 0.05 * np.maximum(0, x - kk) / (a - kk))) ** 2))
            return min(minimize(inner, [c, s], method="Nelder-Mead",
                                options={"xatol": 1e-9, "fatol": 1e-13, "maxiter": 9000, "maxfev": 9000}).fun
                       for s in np.linspace(max(0, a - 8), a - 0.2, 8))

        def edge(to):
            i, o = at, to
            for _ in range(24):
                m = (i + o) / 2
                if profile(m) <= most:
                    i = m
                else:
                    o = m
            return i

        yield [float(v) for v in y], [float(c), float(kk), float(b), float(at), float(edge(x[0])), float(edge(x[-1]))]


if __name__ == "__main__":
    with open("crates/core/looks/tests/reference/pairs.rs", "w", encoding="utf-8") as out:
        out.write("// By PyPI's choix: ilsr_pairwise and mm_pairwise agree. Wins as (winner, loser), then log strengths.\n")
        out.write("[\n")
        for wins, logs in pairs():
            out.write(f"    (&{wins}[..], &{logs}[..]),\n")
        out.write("]\n")
    print(json.dumps({"kappa": list(kappas()), "broken": list(broken())}))
