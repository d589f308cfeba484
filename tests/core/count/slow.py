"""An independent count, as slow and literal as can be.

Integrates ampere-seconds, judges full by looking back.
"""

import math


def slow_count(readings, n, gap_s):
    """Deficits [Ah] and reset instants of (time, volts, amps) rows.

    `n` is a dict of the SETTINGS.json keys.
    """
    capacity_as = n["capacity_ah"] * 3600.0
    rated = n["capacity_ah"] / n["rated_hours"]
    tail = n["tail_current_pct"] / 100.0 * n["capacity_ah"]
    floor = n["tail_floor_pct"] / 100.0 * n["capacity_ah"]
    missing = None if n["initial_soc"] is None else (1.0 - n["initial_soc"]) * capacity_as
    deficits, resets = [], []
    fired_from = None
    for i, (t, _, amps) in enumerate(readings):
        if i and t - readings[i - 1][0] <= gap_s and abs(amps) >= n["dead_band_a"] and missing is not None:
            seconds = t - readings[i - 1][0]
            if amps > 0:
                missing = max(0.0, missing - n["coulombic_efficiency"] * amps * seconds)
            elif -amps > rated:
                missing += rated * math.pow(-amps / rated, n["peukert_exponent"]) * seconds
            else:
                missing += -amps * seconds
        # Walk back over the unbroken run of qualifying readings that ends here.
        start = None
        for j in range(i, -1, -1):
            at, v, a = readings[j]
            if not (v >= n["charged_voltage_v"] and floor <= a <= tail):
                break
            start = j
            if j and at - readings[j - 1][0] > gap_s:
                break
        if start is not None and start != fired_from and t - readings[start][0] >= n["hold_s"]:
            missing = 0.0
            resets.append(t)
            fired_from = start
        deficits.append(math.nan if missing is None else missing / 3600.0)
    return deficits, resets
