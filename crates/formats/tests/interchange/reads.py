"""Reads what Jamjar wrote with readers of others, and holds every sample and unit against what was to be written.

Arguments: a JSON file with what was written, then the files.
"""

import json
import sys

import numpy as np
import polars
import pyarrow.parquet
from asammdf import MDF


def same(what, got, wanted):
    wanted = np.array([np.nan if v is None else v for v in wanted], dtype=float)
    got = np.asarray(got, dtype=float)
    assert got.shape == wanted.shape, f"{what}: {got.shape} samples, {wanted.shape} were written"
    assert np.array_equal(got, wanted, equal_nan=True), f"{what}: samples differ"


logs = json.load(open(sys.argv[1]))
for path in sys.argv[2:]:
    if path.endswith(".mf4"):
        with MDF(path) as mdf:
            assert mdf.version.startswith("4"), mdf.version
            for g, log in enumerate(logs):
                for name, (unit, values) in log["channels"].items():
                    signal = mdf.get(name, group=g)
                    same(f"{path} {name} time", signal.timestamps, log["t"])
                    same(f"{path} {name}", signal.samples, values)
                    assert signal.unit == unit, f"{path} {name}: {signal.unit} for {unit}"
    else:
        log = logs[0]
        table = pyarrow.parquet.read_table(path)
        units = json.loads(table.schema.metadata[b"units"])
        frame = polars.read_parquet(path)
        same(f"{path} time", table.column("time").to_numpy(), log["t"])
        for name, (unit, values) in log["channels"].items():
            same(f"{path} {name}", table.column(name).to_numpy(zero_copy_only=False), values)
            same(f"{path} {name} by polars", frame[name].fill_null(float("nan")).to_numpy(), values)
            assert units[name] == unit, f"{path} {name}: {units[name]} for {unit}"
print("same")
