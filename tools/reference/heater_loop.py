#!/usr/bin/env python3
"""Reference values for crates/core/heat/tests/heat_reference.rs: margins and closed-loop steps of heater
loops, by PyPI's control and scipy. Run: python3 tools/reference/heater_loop.py

The loop: plant K e^(-Ls)/((T1 s + 1)(T2 s + 1)), controller Kp + Ki/s on the error, Kd s/(Tf s + 1) on
the measurement. The dead time is exact in the margins, and a Pade approximation of tenth order in the
steps. Gains in duty.
"""
import control
import numpy as np
import scipy
from scipy.optimize import brentq

CASES = [
    # K, T1, T2, L, Kp, Ki, Kd, Tf
    (400.0, 120.0, 3.0, 1.0, 0.060, 0.0020, 0.00, 0.0),
    (300.0, 90.0, 2.5, 2.0, 0.050, 0.0010, 0.08, 1.0),
    (450.0, 180.0, 0.0, 4.0, 0.040, 0.0006, 0.00, 0.0),
]

print("control", control.__version__, "scipy", scipy.__version__)
for k, t1, t2, l, kp, ki, kd, tf in CASES:
    s = control.tf("s")
    plant = k / ((t1 * s + 1) * (t2 * s + 1)) if t2 else k / (t1 * s + 1)
    pi = kp + ki / s
    d = kd * s / (tf * s + 1) if kd else 0 * s / 1

    def loop(w):
        jw = 1j * w
        g = k * np.exp(-l * jw) / ((t1 * jw + 1) * (t2 * jw + 1))
        return g * (kp + ki / jw + kd * jw / (tf * jw + 1))

    # Phase followed continuously from low frequency; first crossings.
    w = np.logspace(-4, 1.5, 400_000)
    phase = np.unwrap(np.angle(loop(w)))
    size = np.abs(loop(w))
    i = int(np.argmax(phase < -np.pi))
    wp = brentq(lambda x: np.interp(x, w, phase) + np.pi, w[i - 1], w[i])
    j = int(np.argmax(size < 1))
    wg = brentq(lambda x: abs(loop(x)) - 1, w[j - 1], w[j])
    margin = 1 / abs(loop(wp))
    pm = np.degrees(np.interp(wg, w, phase) + np.pi)
    # The same by control's own margin on the sampled response.
    gm2, pm2, *_ = control.margin(control.frd(loop(w[::40]), w[::40]))
    num, den = control.pade(l, 10)
    g = plant * control.tf(num, den)
    closed = control.minreal(g * pi / (1 + g * (pi + d)), verbose=False)
    t = np.arange(0, 240.0001, 0.01)
    _, y = control.forced_response(closed, t, 5.0 * np.ones_like(t))
    at = {x: float(y[int(round(x / 0.01))]) for x in (5, 10, 20, 40, 80, 160)}
    print(f"GM {margin:.5f} ({gm2:.4f}) PM {pm:.4f} ({pm2:.3f}) overshoot {max(0, y.max() - 5):.5f}")
    print("   ", " ".join(f"{a}s {v:.5f}" for a, v in at.items()))
