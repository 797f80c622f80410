"""Writes recordings with writers of others: MDF 4 in several packings and number types, groups of differing rates; Parquet
in several packings, with nulls. Argument: a folder. Says in JSON what was written.
"""

import json
import os
import sys

import numpy as np
import polars
import pyarrow
import pyarrow.parquet
from asammdf import MDF, Signal

folder = sys.argv[1]
fast, slow = np.arange(400) * 0.01, np.arange(80) * 0.05
rpm = 2000.0 + 600.0 * fast
raw = (1800 + 5 * np.arange(80)).astype(np.int16)
lam = (820 + np.arange(80) % 7).astype(np.uint16)
temp = (400.0 + 2.0 * np.arange(80)).astype(np.float32)
written = {
    "engine_speed": [fast.tolist(), rpm.tolist()],
    "manifold_pressure": [slow.tolist(), (raw * 0.1).tolist()],
    "lambda_1": [slow.tolist(), (lam * 0.001).tolist()],
    "exhaust_temp_1": [slow.tolist(), temp.astype(float).tolist()],
}
linear = lambda factor: {"a": factor, "b": 0.0}


def groups(mdf):
    mdf.append([Signal(rpm, fast, name="Engine speed", unit="rpm")], comment="fast")
    mdf.append(
        [
            Signal(raw, slow, name="MAP", unit="kPaa", conversion=linear(0.1)),
            Signal(lam, slow, name="Lambda 1", unit="lambda", conversion=linear(0.001)),
            Signal(temp, slow, name="EGT 1", unit="°C"),
        ],
        comment="slow",
    )


for name, version, packing in [("plain", "4.10", 0), ("deflated", "4.10", 1), ("turned", "4.11", 2)]:
    with MDF(version=version) as mdf:
        groups(mdf)
        mdf.save(os.path.join(folder, f"{name}.mf4"), overwrite=True, compression=packing)

with MDF(version="4.10") as mdf:
    groups(mdf)
    with mdf.cut(start=0.0, stop=9.0) as whole:
        whole.save(os.path.join(folder, "cut.mf4"), overwrite=True)

nulls = [None if i % 4 else float(v) for i, v in enumerate(rpm)]
table = pyarrow.table({"Time [s]": fast, "Engine speed [rpm]": rpm, "EGT 1 [°C]": pyarrow.array(nulls, type=pyarrow.float64()), "gear": pyarrow.array(np.full(400, 4), type=pyarrow.int32())})
for name, packing in [("snappy", "snappy"), ("zstd", "zstd"), ("gzip", "gzip"), ("lz4", "lz4"), ("none", "none")]:
    pyarrow.parquet.write_table(table, os.path.join(folder, f"{name}.parquet"), compression=packing, row_group_size=150)
polars.DataFrame({"Time [s]": fast, "Engine speed [rpm]": rpm, "EGT 1 [°C]": nulls, "gear": np.full(400, 4, dtype=np.int64)}).write_parquet(os.path.join(folder, "polars.parquet"))
print(json.dumps(written))
