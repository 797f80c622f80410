"""The analysis of a job in numpy and scipy: the peer of `jamjar analyse`, vectorised where the steps allow it.

Reads the files first; then times, five times over and taking the median, the same steps: finding the pull in the dyno recording and
its end in the engine computer's; aligning the clocks (coarse on a 0.1 s lattice, fine by Huber-weighted Gauss-Newton from eight
candidates on few points and from the best two on all), with the evidence (slow structure, clock rate, distance of tip-in and lift)
and the check for swapped logs within a set; a look over every sensor (gaps, ends of range, stood still); spikes out; power under the
filter, correction, the rpm grid by local linear fit; figures; every limit on raw samples at the level held inside its gate, and its
lane along the grid; channel summaries; per line-up the pooled intervals of every figure and the simultaneous band.
It still does less than the product: no between-mounting scatter, no family-wise intervals, no second looks, no words.
"""

import csv
import json
import re
import sys
import time
from pathlib import Path

import numpy as np
from scipy import linalg, ndimage, signal, stats

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


def fine(td, d, te, e, slope, k, span, start, every=1):
    """Gauss-Newton on the level with Huber weights, on every so many points."""
    part = (td >= span[0] - 1.0) & (td <= span[1] + 0.3)
    t, level = td[part][::every], k * d[part][::every]
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


def kink(t, level, te, e, slope, lag, window):
    """The lag around tip-in or lift, with a free offset."""
    part = (t >= window[0]) & (t <= window[1])
    t, level, at = t[part], level[part], lag
    if len(t) < 12:
        return lag
    for _ in range(25):
        r, g = np.interp(t + at, te, e) - level, np.interp(t + at, te, slope)
        r, g = r - r.mean(), g - g.mean()
        step = np.clip(-np.sum(g * r) / max(np.sum(g * g), 1e-9), -0.1, 0.1)
        at += step
        if abs(step) < 1e-6:
            break
    return at


def align(td, shaft, te, rpm, slope, k, span):
    """Lag, residual and the evidence for it."""
    some = max(1, int(np.sum((td >= span[0] - 1) & (td <= span[1] + 0.3)) // 300))
    rough = sorted(fine(td, shaft, te, rpm, slope, k, span, s, some) for s in coarse(td, shaft, te, rpm, k, span))
    far = next((f for f in rough if abs(f[1] - rough[0][1]) >= 0.5), None)
    fits = [fine(td, shaft, te, rpm, slope, k, span, f[1]) for f in (rough[0], far) if f is not None]
    residual, lag = min(fits)
    inside = (td >= span[0]) & (td <= span[1]) & (td + lag >= te[0]) & (td + lag <= te[-1])
    t = td[inside]
    r, g = np.interp(t + lag, te, rpm) - k * shaft[inside], np.interp(t + lag, te, slope)
    block = ((t - t[0]) / 0.3).astype(int)
    structure = np.sqrt(np.mean((np.bincount(block, r) / np.bincount(block)) ** 2))
    rho = np.corrcoef(r[:-1], r[1:])[0, 1]
    sigma = residual / np.sqrt(np.mean(g * g)) / np.sqrt(max(2.0, len(r) * (1 - rho) / (1 + rho)))
    x = g * (t - 0.5 * (span[0] + span[1]))
    rate = -np.sum(x * r) / np.sum(x * x)
    level = k * shaft
    gap = kink(td, level, te, rpm, slope, lag, (span[1] - 0.6, span[1] + 0.3)) - kink(td, level, te, rpm, slope, lag, (span[0] - 0.9, span[0] + 0.5))
    r_level = np.corrcoef(np.interp(t + lag, te, rpm), shaft[inside])[0, 1]
    return lag, residual, structure, (sigma, rate, gap, r_level)


def spiky(v, half=8, threshold=9.0):
    """Hampel test over a moving window."""
    floor = 0.05 * max(np.ptp(v), 1.0)
    median = ndimage.median_filter(v, 2 * half + 1, mode="nearest")
    off = np.abs(v - median)
    doubt = np.flatnonzero(off > floor)
    out = np.zeros(len(v), bool)
    if len(doubt):
        windows = np.lib.stride_tricks.sliding_window_view(np.pad(v, half, mode="edge"), 2 * half + 1)[doubt]
        sigma = 1.4826 * np.median(np.abs(windows - median[doubt, None]), axis=1)
        out[doubt] = off[doubt] > np.maximum(threshold * sigma, floor)
    return out


def look_over(log):
    """Gaps, ends of range and sensors that stood still, from runs of one exact value."""
    t, found = log["t"], []
    dt = np.diff(t)
    if dt.max() > max(0.5, 8 * np.median(dt)):
        found.append("gap")
    for name, v in log.items():
        if name == "t":
            continue
        edges = np.flatnonzero(np.concatenate(([True], v[1:] != v[:-1], [True])))
        a, b = edges[:-1], edges[1:]
        long = t[b - 1] - t[a]
        extreme = (v[a] == np.nanmin(v)) | (v[a] == np.nanmax(v))
        if np.any((b - a >= 6) & (long >= 0.15) & (b - a >= 4 * len(v) / len(a)) & extreme):
            found.append((name, "end of range"))
        if np.any((b - a >= 5) & (long > 1.0)):
            found.append((name, "stood still"))
    return found


def grid(x, y, step=50.0):
    """Local linear fit at multiples of the step, triangular weights, all points at once."""
    at = np.arange(np.ceil(x.min() / step), np.floor(x.max() / step) + 1) * step
    u = x[None, :] - at[:, None]
    w = np.maximum(1 - np.abs(u) / step, 0)
    sw, sx, sy = w.sum(1), (w * u).sum(1), (w * y).sum(1)
    sxx, sxy = (w * u * u).sum(1), (w * u * y).sum(1)
    with np.errstate(divide="ignore", invalid="ignore"):
        return at, (sxx * sy - sx * sxy) / (sw * sxx - sx * sx)


def held(excess, gate, t, hold):
    """The highest level held for a time inside the gate, at every sample: minimum over the window, then maximum over those around."""
    n = max(1, int(np.ceil(hold / np.median(np.diff(t)))))
    x = np.where(gate, excess, -np.inf)
    low = ndimage.minimum_filter1d(x, n, mode="constant", cval=-np.inf)
    return ndimage.maximum_filter1d(low, n, mode="constant", cval=-np.inf)


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
    lag, residual, structure, evidence = align(td, shaft, te, rpm, slope, ratio, span)
    throttle = e.get("throttle")
    ended = detect(te, rpm, throttle if throttle is not None else rpm)
    findings = look_over(d) + look_over(e)
    n, dt = derive_window(td)
    keep = np.arange(max(0, a), b + 1)
    keep = keep[~(spiky(shaft[keep]) | spiky(torque[keep]))]
    q = signal.savgol_filter(torque[keep], n, 2)
    w = signal.savgol_filter(shaft[keep], n, 2)
    rate = signal.savgol_filter(shaft[keep], n, 2, deriv=1, delta=dt)
    engine = w * ratio * np.pi / 30
    power = (q * w * np.pi / 30 + inertia * engine * rate * ratio * np.pi / 30) / 1000
    speed = w * ratio
    x, kw = grid(speed, power)
    _, nm = grid(speed, power * 1000 / engine)
    _, time_at = grid(speed, td[keep])
    kw, nm = kw * factor(pull["conditions"]), nm * factor(pull["conditions"])
    inner = (x >= speed[n // 2] + 50) & (x <= speed[-1 - n // 2] - 50)
    peak = np.nanmax(kw[inner])
    top = np.flatnonzero(inner)[np.nanargmax(kw[inner])]
    high = np.flatnonzero(kw < 0.95 * peak)
    plateau = x[min(high[high > top], default=len(x) - 1)] - x[max(high[high < top], default=0)]
    figures = {"peak": peak, "torque": np.nanmax(nm[inner]), "plateau": plateau, "fall": 100 * (1 - kw[-1] / peak), "band": None}
    if x[0] <= band[0] and x[-1] >= band[1]:
        m = (x >= band[0]) & (x <= band[1])
        figures["band"] = np.trapezoid(kw[m], x[m]) / (band[1] - band[0])
    verdicts, lanes = [], []
    cell = np.clip(np.searchsorted(x, rpm - 25), 0, len(x) - 1)
    during = (te - lag >= span[0]) & (te - lag <= span[1])
    for channel, threshold, sign, hold in limits:
        if channel not in e:
            continue
        excess = sign * (e[channel] - threshold)
        gate = np.isfinite(excess) & ((throttle > 90) if throttle is not None else True)
        level = held(excess, gate, te, hold)
        worst = np.argmax(level)
        verdicts.append((level[worst], te[worst], rpm[worst]))
        lane = np.full(len(x), -np.inf)
        np.maximum.at(lane, cell[during], level[during])
        lanes.append(lane)
    summary = {k: (np.nanmean(v[during]), np.nanmin(v[during]), np.nanmax(v[during])) for k, v in e.items() if k != "t"}
    out = {"lag": lag, "x": x, "kw": kw, "nm": nm, "time": time_at, "span": span, "slope": slope, "structure": structure}
    return out | figures | {"residual": residual, "evidence": (evidence, ended, findings, verdicts, lanes, summary)}


def swapped(pulls, measured, ratio):
    """Pulls whose log fits another pull of the set clearly better."""
    out = []
    for i, m in enumerate(measured):
        for j in range(len(measured)) if m["structure"] > 1.5 else ():
            for dyno, ecu in ((i, j), (j, i)) if i != j else ():
                d, e, o = pulls[dyno]["dyno"], pulls[ecu]["ecu"], measured[ecu]
                if align(d["t"], d["speed"], e["t"], e["speed"], o["slope"], ratio, measured[dyno]["span"])[2] < 0.6 * m["structure"]:
                    out.append((i, j))
    return out


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
    out = []
    for figure in ("band", "peak", "torque", "plateau", "fall"):
        values = [np.array([m[figure] for m in x if m[figure] is not None]) for x in sets]
        nu = sum(len(v) - 1 for v in values if len(v) > 1)
        sd = np.sqrt(sum(((v - v.mean()) ** 2).sum() for v in values if len(v) > 1) / nu)
        for i, v in enumerate(values):
            if i != base and len(v):
                k = 1 / len(v) + 1 / len(values[base])
                h = stats.t.ppf(0.975, nu) * sd * np.sqrt(k)
                out.append((figure, i, v.mean() - values[base].mean(), h, float(np.min(q * s * np.sqrt(k)))))
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
    sets = []
    for _, pulls in job["sets"]:
        measured = [measure(p, job["ratio"], job["inertia"], job["limits"], job["band"]) for p in pulls]
        swapped(pulls, measured, job["ratio"])
        sets.append(measured)
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
        for _, i, difference, _, half in (f for f in found if f[0] == "band"):
            comparisons.append({"job": k, "id": job["sets"][i][0], "difference": difference, "half_kw": half})
    print(json.dumps({"pulls": sum(len(m["peaks"]) for m in sets), "seconds": sorted(seconds)[2], "sets": sets, "comparisons": comparisons}))


if __name__ == "__main__":
    main()
