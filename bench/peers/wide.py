"""Writes a recording of 360,000 rows and 40 channels: an hour at 100 Hz, as a logger would write it."""

import sys

import numpy as np

ROWS = 360_000
NAMES = ["Engine speed (rpm)", "Throttle (%)", "MAP (kPa)", "Lambda 1", "Spark advance (deg)", "Knock retard 1 (deg)", "EGT 1 (C)", "IAT (C)"]


def main():
    rng = np.random.default_rng(7)
    t = np.arange(ROWS) / 100.0
    columns = [t, 3000 + 1500 * np.sin(t / 7), 50 + 50 * np.sin(t / 9), 100 + 60 * np.sin(t / 11), 0.9 + 0.05 * np.sin(t)]
    columns += [20 + 5 * np.sin(t / (3 + k)) + rng.normal(0, 0.2, ROWS) for k in range(36)]
    heads = ["Time (s)"] + NAMES[:4] + NAMES[4:] + [f"Aux {k} (V)" for k in range(41 - 1 - len(NAMES))]
    np.savetxt(sys.argv[1], np.column_stack(columns), fmt="%.3f", delimiter=",", header=",".join(heads[: len(columns)]), comments="")


if __name__ == "__main__":
    main()
