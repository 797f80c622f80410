"""Writes and reads 360,000 rows of 40 channels: MDF 4 uncompressed with asammdf, Parquet with polars on one thread. Arguments:
a folder, in which `ours.mf4` and `ours.parquet` stand already. Medians of three; the fastest of the calls offered counts."""

import json
import os
import statistics
import sys
import time

import numpy as np
import polars as pl
from asammdf import MDF, Signal

folder = sys.argv[1]
n, channels = 360_000, 40
t = np.arange(n) * 0.01
i = np.arange(n, dtype=float)
columns = {f"made_{k}": 100.0 + 20.0 * np.sin(i * 1e-4 * (k + 1)) + np.sin(i * 12.9898) for k in range(channels)}


def median(work, times=3):
    seconds = []
    for _ in range(times):
        start = time.perf_counter()
        done = work()
        seconds.append(time.perf_counter() - start)
    return statistics.median(seconds), done


def write_mdf():
    with MDF(version="4.10") as mdf:
        mdf.append([Signal(v, t, name=name, unit="") for name, v in columns.items()], common_timebase=True)
        mdf.save(os.path.join(folder, "theirs.mf4"), overwrite=True, compression=0)


def each_channel(path):
    with MDF(path) as mdf:
        return sum(float(mdf.get(name, group=0, raw=True).samples.sum()) for name in columns)


def selected(path):
    with MDF(path) as mdf:
        return sum(float(s.samples.sum()) for s in mdf.select(list(columns), raw=True, copy_master=False))


ours = os.path.join(folder, "ours.mf4")
reads = [median(lambda: each_channel(ours)), median(lambda: selected(ours))]
frame = pl.DataFrame({"time": t, **columns})
parquet = os.path.join(folder, "theirs.parquet")
write_parquet, _ = median(lambda: frame.write_parquet(parquet, compression="zstd", compression_level=3))
read_parquet, back = median(lambda: pl.read_parquet(os.path.join(folder, "ours.parquet"), use_pyarrow=False))
print(
    json.dumps(
        {
            "mdf_write": median(write_mdf)[0],
            "mdf_read": min(r[0] for r in reads),
            "sum": reads[0][1],
            "parquet_write": write_parquet,
            "parquet_read": read_parquet,
            "parquet_sum": float(sum(back[c].sum() for c in columns)),
        }
    )
)
