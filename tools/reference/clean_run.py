"""Reference values for the clean run: F(2, 2n) and the log-normal prediction. scipy 1.17.1."""

import numpy as np
from scipy import stats

for n in (1, 3, 5):
    print(n, "times at random, 90 %:", stats.f(2, 2 * n).ppf(0.9))
print("F(2, 6) at 2.5:", stats.f(2, 6).cdf(2.5))
logs = np.log([55.0, 70.0, 62.0])
n = len(logs)
scale = logs.std(ddof=1) * np.sqrt(1 + 1 / n)
print("55, 70, 62 at the same point, 90 % [min]:", np.exp(logs.mean() + stats.t(n - 1).ppf(0.9) * scale))
