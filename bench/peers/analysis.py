"""The analysis of a job in numpy and scipy: the peer of `jamjar analyse`, vectorised where the steps allow it.

Reads the files first; then times, five times over and taking the median: finding the pull, aligning the clocks (coarse on a 0.1 s
lattice, fine by Huber-weighted Gauss-Newton from eight candidates), power under the filter, correction, the rpm grid by local linear
fit, figures, limits on raw samples, channel summaries, and per line-up the pooled intervals and the simultaneous band.
It does less than the product: no hygiene, no swapped-log check, no lanes, no dips, no words.
"""

import csv
import json
import re
import sys
import time
from pathlib import Path

import numpy as np
from scipy import linalg, signal, stats

STEP = 0.1


def columns(path):
    """A recording as {header: array}; the simulator's own dialect."""
    raw = Path(path).read_bytes()
    try:
        text = raw.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = raw.decode("latin-1")
    lines = [l for l in text.splitlines() if l and not l.startswith("#")]
    rows = list(csv.reader(lines, delimiter=";" if ";" in lines[0] else ","))
    body = [r for r in rows[1:] if re.match(r"^-?\d", r[0])]
    data = np.array([[float(v.replace(",", ".")) if v else np.nan for v in r] for r in body])
    return {h.strip(): data[:, i] for i, h in enumerate(rows[0])}


def pick(cols, *words):
    for h in cols:
        if all(w in h.lower() for w in words):
            return cols[h]
    raise KeyError(words)


def derive_window(t, seconds=0.25):
    n = max(5, int(round(seconds / np.median(np.diff(t)))) | 1)
    return n, np.median(np.diff(t))


def detect(t, rpm, load):
    """First and last index of the longest rising stretch at full load."""
    n, dt = derive_window(t, 0.3)
    rate = signal.savgol_filter(rpm, n, 2, deriv=1, delta=dt)
    high = load >= 0.25 * np.percentile(load, 95)
    on = high & (rate > 0.4 * np.median(rate[high & (rate > 0)]))
    edges = np.flatnonzero(np.diff(np.concatenate(([0], on.view(np.int8), [0]))))
    spans = edges.reshape(-1, 2)
    a, b = spans[np.argmax(spans[:, 1] - spans[:, 0])]
    return a, b - 1


def coarse(td, d, te, e, k, span):
    """Best eight lattice lags by level over the whole record, all shifts at once by correlation."""
    lo, hi = max(span[0] - 1, td[0]), min(span[1] + 1, td[-1])
    gd = np.interp(np.arange(lo, hi, STEP), td, d)
    ge = np.interp(np.arange(te[0], te[-1], STEP), te, e)
    ones_d, ones_e = np.ones_like(gd), np.ones_like(ge)
    full = lambda x, y: signal.correlate(x, y, mode="full", method="auto")
    m = full(ones_e, ones_d)
    se, see = full(ge, ones_d), full(ge * ge, ones_d)
    sd, sdd, sed = full(ones_e, gd), full(ones_e, gd * gd), full(ge, gd)
    need = max(5, 0.5 * (span[1] - span[0]) / STEP)
    with np.errstate(divide="ignore", invalid="ignore"):
        level = np.sqrt(np.maximum(see - 2 * k * sed + k * k * sdd, 0) / m) / np.maximum(se / m, 1)
    level[m < need] = np.inf
    best = signal.argrelmin(np.pad(level, 1, constant_values=np.inf))[0] - 1
    best = best[np.argsort(level[best])][:8]
    return te[0] + (best - len(gd) + 1) * STEP - lo


def fine(td, d, te, e, slope, k, span, start):
    """Gauss-Newton on the level with Huber weights."""
    part = (td >= span[0] - 1.0) & (td <= span[1] + 0.3)
    t, level = td[part], k * d[part]
    lag = start
    for _ in range(40):
        at = t + lag
        inside = (at >= te[0]) & (at <= te[-1])
        if inside.sum() < 8:
            return np.inf, lag
        r = np.interp(at[inside], te, e) - level[inside]
        g = np.interp(at[inside], te, slope)
        huber = max(1.0, 2.5 * 1.4826 * np.median(np.abs(r)))
        w = np.minimum(1.0, huber / np.maximum(np.abs(r), 1e-12))
        step = -np.sum(w * g * r) / np.sum(w * g * g)
        lag += np.clip(step, -0.5, 0.5)
        if abs(step) < 1e-7:
            break
    inside = (t >= span[0]) & (t <= span[1]) & (t + lag >= te[0]) & (t + lag <= te[-1])
    if inside.sum() < 8:
        return np.inf, lag
    r = np.interp(t[inside] + lag, te, e) - level[inside]
    return np.sqrt(np.mean(r * r)), lag


def grid(x, y, step=50.0):
    """Local linear fit at multiples of the step, triangular weights, all points at once."""
    at = np.arange(np.ceil(x.min() / step), np.floor(x.max() / step) + 1) * step
    u = x[None, :] - at[:, None]
    w = np.maximum(1 - np.abs(u) / step, 0)
    sw, sx, sy = w.sum(1), (w * u).sum(1), (w * y).sum(1)
    sxx, sxy = (w * u * u).sum(1), (w * u * y).sum(1)
    with np.errstate(divide="ignore", invalid="ignore"):
        return at, (sxx * sy - sx * sxy) / (sw * sxx - sx * sx)


def sustained(over, t, hold):
    """Longest time the condition held."""
    edges = np.flatnonzero(np.diff(np.concatenate(([0], over.view(np.int8), [0])))).reshape(-1, 2)
    return max((t[min(b, len(t) - 1)] - t[a] for a, b in edges), default=0.0) >= hold


def factor(c):
    t, rh, p = c["temperature_c"], c["humidity"], c["pressure_hpa"]
    pd = p - rh * 6.1094 * np.exp(17.625 * t / (t + 243.04))
    return 1.180 * (990.0 / pd) * np.sqrt((t + 273.0) / 298.0) - 0.18


def measure(pull, ratio, inertia, limits, band):
    d, e = pull["dyno"], pull["ecu"]
    td, shaft, torque = d["t"], d["speed"], d["torque"]
    a, b = detect(td, shaft, torque)
    span = (td[a], td[b])
    te, rpm = e["t"], e["speed"]
    slope = signal.savgol_filter(rpm, 7, 2, deriv=1, delta=np.median(np.diff(te)))
    fits = [fine(td, shaft, te, rpm, slope, ratio, span, s) for s in coarse(td, shaft, te, rpm, ratio, span)]
    residual, lag = min(fits)
    n, dt = derive_window(td)
    sl = slice(max(0, a), b + 1)
    q = signal.savgol_filter(torque[sl], n, 2)
    w = signal.savgol_filter(shaft[sl], n, 2)
    rate = signal.savgol_filter(shaft[sl], n, 2, deriv=1, delta=dt)
    engine = w * ratio * np.pi / 30
    power = (q * w * np.pi / 30 + inertia * engine * rate * ratio * np.pi / 30) / 1000
    x, kw = grid(w * ratio, power)
    kw = kw * factor(pull["conditions"])
    ends = (w * ratio)[[n // 2, -1 - n // 2]]
    peak = np.nanmax(kw[(x >= ends[0] + 50) & (x <= ends[1] - 50)])
    mean = None
    if x[0] <= band[0] and x[-1] >= band[1]:
        m = (x >= band[0]) & (x <= band[1])
        mean = np.trapezoid(kw[m], x[m]) / (band[1] - band[0])
    throttle = e.get("throttle")
    verdicts = []
    for channel, threshold, sign, hold in limits:
        if channel in e:
            over = sign * (e[channel] - threshold) > 0
            if throttle is not None:
                over = over & (throttle > 90)
            verdicts.append(sustained(over, te, hold))
    inside = (te - lag >= span[0]) & (te - lag <= span[1])
    summary = {k: (np.nanmean(v[inside]), np.nanmin(v[inside]), np.nanmax(v[inside])) for k, v in e.items() if k != "t"}
    return {"lag": lag, "peak": peak, "band": mean, "x": x, "kw": kw, "residual": residual, "verdicts": verdicts, "summary": summary}


def band_of(sets):
    """Pooled scatter along the curve and the simultaneous quantile."""
    grid_x = np.unique(np.concatenate([m["x"] for s in sets for m in s]))
    nu, ss, dof, residuals = 0, np.zeros(len(grid_x)), np.zeros(len(grid_x)), []
    for s in sets:
        if len(s) < 2:
            continue
        nu += len(s) - 1
        c = np.full((len(s), len(grid_x)), np.nan)
        for i, m in enumerate(s):
            c[i, np.searchsorted(grid_x, m["x"])] = m["kw"]
        have = np.isfinite(c).sum(0)
        r = c - np.nanmean(c, axis=0)
        ok = have > 1
        ss[ok] += np.nansum(r * r, axis=0)[ok]
        dof[ok] += (have - 1)[ok]
        residuals.append(np.nan_to_num(r * np.sqrt(have / np.maximum(have - 1, 1))))
    near = np.abs(grid_x[:, None] - grid_x[None, :]) <= 250
    s = np.sqrt((near @ ss) / np.maximum(near @ dof, 1))
    z = np.concatenate(residuals) / s
    m = len(grid_x)
    c = np.array([np.sum(z[:, : m - k] * z[:, k:]) for k in range(m)])
    rho = c / c[0]
    l = linalg.cholesky(linalg.toeplitz(rho) + 1e-6 * np.eye(m), lower=True)
    rng = np.random.default_rng(1)
    y = np.abs(rng.standard_normal((4000, m)) @ l.T).max(1) / np.sqrt(rng.chisquare(nu, 4000) / nu)
    return s, np.quantile(y, 0.95), nu


def line_up(sets, base):
    s, q, _ = band_of(sets)
    values = [np.array([m["band"] for m in x if m["band"] is not None]) for x in sets]
    nu = sum(len(v) - 1 for v in values if len(v) > 1)
    sd = np.sqrt(sum(((v - v.mean()) ** 2).sum() for v in values if len(v) > 1) / nu)
    out = []
    for i, v in enumerate(values):
        if i == base or not len(v):
            continue
        k = 1 / len(v) + 1 / len(values[base])
        h = stats.t.ppf(0.975, nu) * sd * np.sqrt(k)
        out.append((i, v.mean() - values[base].mean(), h, float(np.min(q * s * np.sqrt(k)))))
    return out


def load(path):
    job = json.loads(Path(path).read_text())
    folder = Path(path).parent
    ratio = job["vehicle"]["dyno"]["overall_ratio"]
    limits = [
        (l["channel"], l["threshold"], 1 if l["direction"] == "above" else -1, l.get("sustain_s", 0.2))
        for l in job.get("limits", [])
        if not isinstance(l["threshold"], dict)
    ]
    sets = []
    for s in job["sets"]:
        pulls = []
        for p in s["pulls"]:
            d, e = columns(folder / p["dyno"]), columns(folder / p["ecu"])
            ecu = {"t": list(e.values())[0], "speed": pick(e, "rpm")}
            for h, v in list(e.items())[1:]:
                name = re.sub(r"[\s(\[].*", "", h.lower())
                ecu.setdefault("throttle" if "thrott" in h.lower() else name, v)
            dyno = {"t": list(d.values())[0], "speed": pick(d, "speed"), "torque": pick(d, "torque")}
            pulls.append({"dyno": dyno, "ecu": ecu, "conditions": p["conditions"]})
        sets.append((s["id"], pulls))
    ids = [s[0] for s in sets]
    inertia = job["vehicle"]["dyno"].get("rotating_inertia_kg_m2", 0.0)
    return {"ratio": ratio, "inertia": inertia, "limits": limits, "sets": sets, "band": job.get("band_rpm") or [3000, 6000], "base": ids.index(job["baseline"])}


def analyse(job):
    sets = [[measure(p, job["ratio"], job["inertia"], job["limits"], job["band"]) for p in pulls] for _, pulls in job["sets"]]
    return sets, line_up(sets, job["base"])


def main():
    jobs = [load(p) for p in sys.argv[1:]]
    seconds = []
    for _ in range(5):
        start = time.perf_counter()
        done = [analyse(j) for j in jobs]
        seconds.append(time.perf_counter() - start)
    sets, comparisons = [], []
    for k, (job, (measured, found)) in enumerate(zip(jobs, done)):
        for (name, _), m in zip(job["sets"], measured):
            sets.append({"job": k, "id": name, "lags": [x["lag"] for x in m], "peaks": [x["peak"] for x in m], "bands": [x["band"] for x in m]})
        for i, difference, _, half in found:
            comparisons.append({"job": k, "id": job["sets"][i][0], "difference": difference, "half_kw": half})
    print(json.dumps({"pulls": sum(len(m["peaks"]) for m in sets), "seconds": sorted(seconds)[2], "sets": sets, "comparisons": comparisons}))


if __name__ == "__main__":
    main()
