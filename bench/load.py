#!/usr/bin/env python3
"""28 readers and 4 writers on a running Jamjar with the demo: statuses, requests a second, waiting times.

Bounded in time and stops by itself; talks to the loopback only. Standard library alone.
"""
import argparse
import http.client
import random
import threading
import time
import urllib.parse
from collections import Counter

READ = ["/", "/vehicles", "/vehicles/1", "/settings", "/search?q=power+over+100+kW", "/search?q=map+C3%2C+E60", "/search?q=over+a+limit"]


def worker(port, until, think, seed, jobs, results, writer):
    rng = random.Random(seed)
    origin = f"http://127.0.0.1:{port}"
    conn = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
    while time.monotonic() < until:
        method, path, form = jobs(rng)
        body = urllib.parse.urlencode(form) if form else None
        headers = {"Origin": origin}
        if body:
            headers["Content-Type"] = "application/x-www-form-urlencoded"
        start = time.monotonic()
        try:
            conn.request(method, path, body, headers)
            answer = conn.getresponse()
            answer.read()
            status = answer.status
        except (OSError, http.client.HTTPException) as e:
            conn.close()
            conn = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
            status = f"lost: {type(e).__name__}"
        results.append((writer, status, time.monotonic() - start, path))
        if think:
            time.sleep(think)


def run(port, seconds, think):
    pulls, sets = list(range(1, 120)), list(range(1, 36))

    def read(rng):
        kind = rng.random()
        if kind < 0.3:
            return "GET", f"/pulls/{rng.choice(pulls)}", None
        if kind < 0.5:
            return "GET", f"/days/{rng.randint(1, 8)}", None
        if kind < 0.75:
            first = rng.randint(1, 5)
            return "GET", f"/line-up?sets={first},{first + 1}", None
        return "GET", rng.choice(READ), None

    def write(k):
        def job(rng):
            pull = pulls[k] + 4 * rng.randint(0, 20)
            kind = rng.random()
            if kind < 0.4:
                return "POST", f"/days/{rng.randint(1, 8)}/notes", {"text": f"writer {k} {rng.random()}", "tag": "load"}
            if kind < 0.7:
                return "POST", f"/pulls/{pull}/note", {"note": f"writer {k} {rng.random()}"}
            if kind < 0.9:
                return "POST", f"/pulls/{pull}/exclude", rng.choice([{"reason": "load"}, {"include": "true"}])
            air = {"at": f"{10 + k}:{rng.randint(0, 59):02d}", "temperature": f"{20 + rng.random():.1f}", "humidity": "50", "pressure": "1002"}
            return "POST", f"/days/{rng.randint(1, 8)}/air", air
        return job

    results, until = [], time.monotonic() + seconds
    threads = [threading.Thread(target=worker, args=(port, until, think, i, read, results, False)) for i in range(28)]
    threads += [threading.Thread(target=worker, args=(port, until, think, 100 + k, write(k), results, True)) for k in range(4)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    times = sorted(r[2] for r in results)
    at = lambda share: times[min(len(times) - 1, int(share * len(times)))] * 1000
    statuses = Counter(r[1] for r in results)
    bad = Counter((r[1], r[3].split("?")[0]) for r in results if not isinstance(r[1], int) or r[1] >= 400)
    print(f"thought {think} s: {len(results) / seconds:.0f} requests a second, {sum(r[0] for r in results)} of {len(results)} written; "
          f"median {at(0.5):.1f} ms, p99 {at(0.99):.0f} ms, longest {times[-1] * 1000:.0f} ms; statuses {dict(statuses)}")
    for (status, path), n in bad.most_common(8):
        print(f"  {status} {path}: {n}")


if __name__ == "__main__":
    a = argparse.ArgumentParser()
    a.add_argument("--port", type=int, required=True)
    a.add_argument("--seconds", type=int, default=90)
    args = a.parse_args()
    run(args.port, args.seconds, 1.0)
    run(args.port, args.seconds, 0.0)
