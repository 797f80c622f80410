"""From the last byte of a recording in a watched folder to its verdict on the cell's view: pulls of 60 s at 100 Hz with 40 channels beside them,
made from simulated ones by holding their first moment and reading between their samples."""

import csv
import re
import time
import urllib.parse
import urllib.request
from pathlib import Path

import numpy as np

SECONDS, HZ, CHANNELS = 60.0, 100.0, 40
NAMES = {
    "Time": "Time (s)", "RPM": "Engine speed (rpm)", "Throttle": "Throttle (%)", "MAP": "MAP (kPa absolute)", "WB1": "Lambda 1",
    "Spark advance": "Spark advance (deg)", "Knock retard 1": "Knock retard 1 (deg)", "EGT 1": "EGT 1 (°C)", "IAT": "Intake temperature (°C)",
    "Injector duty": "Injector duty (%)", "Oil temp": "Oil temperature (°C)", "Coolant temp": "Coolant temperature (°C)",
}


def longer(t, columns):
    """Columns on a time base of so many seconds, ending where they end."""
    grid = np.arange(0.0, SECONDS, 1.0 / HZ)
    at = np.maximum(grid - (SECONDS - 1.0 / HZ) + t[-1], t[0])
    return grid, [np.interp(at, t, c) for c in columns]


def text(heads, columns):
    out = [",".join(heads)]
    out += [",".join(f"{v:.3f}" for v in row) for row in np.column_stack(columns)]
    return ("\n".join(out) + "\n").encode()


def dyno(path):
    rows = [r for r in csv.reader(Path(path).read_text().splitlines()) if not r[0].startswith("#")]
    values = np.array(rows[1:], float).T
    grid, columns = longer(values[0], values[1:])
    return text(rows[0], [grid, *columns])


def ecu(path, seed):
    rows = list(csv.reader(Path(path).read_text().splitlines(), delimiter=";"))
    values = np.array([[float(v.replace(",", ".")) if v else np.nan for v in r] for r in rows[2:]]).T
    kept = [i for i, h in enumerate(rows[0]) if h in NAMES]
    values[rows[0].index("WB1")] /= 14.7
    grid, columns = longer(values[0] - values[0][0], [values[i] for i in kept[1:]])
    heads = [NAMES[rows[0][i]] for i in kept]
    rng = np.random.default_rng(seed)
    aux = [2.5 + 0.5 * np.sin(grid / (3 + k)) + rng.normal(0, 0.01, grid.size) for k in range(CHANNELS - len(columns))]
    return text(heads + [f"Aux {k} (V)" for k in range(len(aux))], [grid, *columns, *aux])


class Cell:
    """A day of the demo's first vehicle in a cell of its own that watches a folder."""

    def __init__(self, port, folder):
        self.base, self.folder = f"http://127.0.0.1:{port}", Path(folder)
        self.folder.mkdir(parents=True, exist_ok=True)
        for old in self.folder.iterdir():
            old.unlink()
        day = self.post("/days", vehicle_id=1, date=time.strftime("%Y-%m-%d"), place="bench cell")
        self.cell = re.search(r'/cells/(\d+)', self.get(day))[1]
        self.post(f"/cells/{self.cell}", name="bench cell", folder=str(self.folder.resolve()))
        self.post(f"{day}/running", map="Stock", fuel="RON 95 E5", gear="4")

    def get(self, path):
        return urllib.request.urlopen(self.base + path, timeout=60).read().decode()

    def post(self, path, **form):
        request = urllib.request.Request(self.base + path, urllib.parse.urlencode(form).encode(), {"Origin": self.base})
        return urllib.parse.urlparse(urllib.request.urlopen(request, timeout=60).url).path

    def pull(self, k, sim):
        """Seconds until the k-th pull stands on the view."""
        source = f"{sim}/stock-95-p{k}"
        (self.folder / f"p{k}_dyno.csv").write_bytes(dyno(f"{source}_dyno.csv"))
        log = ecu(f"{source}_ecu.csv", k)
        time.sleep(2.0)
        (self.folder / f"p{k}_ecu.csv").write_bytes(log)
        start = time.perf_counter()
        while time.perf_counter() < start + 60:
            page = self.get(f"/cells/{self.cell}/now")
            if f"pull {k} of" in page:
                return time.perf_counter() - start
            time.sleep(0.02)
        raise SystemExit(f"pull {k} never stood on the view: {re.sub('<[^>]*>', ' ', page)[-800:]}")


def verdicts(port, folder, sim):
    """The same for three pulls of a set; the first comes to a set of its own."""
    cell = Cell(port, folder)
    return [cell.pull(k, sim) for k in (1, 2, 3)]
