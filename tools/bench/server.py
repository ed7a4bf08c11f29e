"""What the server takes: memory over thirty opened cells, edits of six people at once, ending, and sweeps whose worker dies.

    python3 tools/bench/server.py [--binary target/release/selvik] [--old]

Needs `cargo build --release -p selvik-server -p selvik-demo`. Everything runs on loopback, on a database of its own.
`--old` leaves out what servers before the queue could not do.
"""

import argparse
import json
import os
import signal
import statistics
import subprocess
import tempfile
import threading
import time
import urllib.request

ROOT = os.path.dirname(os.path.dirname(os.path.dirname(os.path.abspath(__file__))))


def ask(url, method="GET", body=None, kind="application/json"):
    data = json.dumps(body).encode() if isinstance(body, (dict, list)) else body
    request = urllib.request.Request(url, data=data, method=method, headers={"content-type": kind})
    with urllib.request.urlopen(request, timeout=120) as answer:
        content = answer.read()
    return json.loads(content) if content else None


class Server:
    def __init__(self, binary, database, *more):
        command = [binary, "serve", "--listen", "127.0.0.1:0", "--database", database, *more]
        self.process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
        self.url = self.process.stdout.readline().split()[-1].rstrip("/")

    def resident_mib(self):
        with open(f"/proc/{self.process.pid}/status") as status:
            line = next(line for line in status if line.startswith("VmRSS"))
        return int(line.split()[1]) // 1024

    def end(self, how=signal.SIGTERM):
        start = time.monotonic()
        self.process.send_signal(how)
        self.process.wait()
        return time.monotonic() - start


def imported(binary, package, database):
    said = subprocess.run([binary, "import", package, "--database", database], check=True, capture_output=True, text=True)
    return said.stdout.strip()


def memory(server, cells):
    """MiB after each of the cells was opened and its small meshes were sent."""
    first = server.resident_mib()
    after = []
    for cell in cells:
        ask(f"{server.url}/api/cells/{cell}")
        with urllib.request.urlopen(f"{server.url}/api/cells/{cell}/small-meshes", timeout=120) as answer:
            answer.read()
        after.append(server.resident_mib())
    return first, after


def editors(server, cell, people=6, edits=40):
    """How long edits took, s, while so many people each move an item of their own."""
    opened = ask(f"{server.url}/api/cells/{cell}")
    items = [i["id"] for i in opened["document"]["items"] if i["role"] == "structure" and i.get("bodies")][:people]
    took = []

    def edit(item):
        base = opened["revision"]
        for n in range(edits):
            place = {"item": item, "pose": {"xyz_mm": [n, 0, 0]}}
            body = {"base_revision": base, "edit": {"edit": "place_items", "places": [place]}}
            start = time.monotonic()
            base = ask(f"{server.url}/api/cells/{cell}/edits", "POST", body)["revision"]
            took.append(time.monotonic() - start)

    threads = [threading.Thread(target=edit, args=(item,)) for item in items]
    start = time.monotonic()
    [t.start() for t in threads]
    [t.join() for t in threads]
    whole = time.monotonic() - start
    return sorted(took), whole


def at_work(server):
    with urllib.request.urlopen(f"{server.url}/metrics", timeout=60) as answer:
        line = next(line for line in answer.read().decode().splitlines() if line.startswith("selvik_jobs_here"))
    return int(line.split()[-1])


def stopped(server, cell):
    """The longest time from asking a sweep to stop until nobody works on it, s."""
    longest = 0
    for n in range(10):
        job = ask(f"{server.url}/api/cells/{cell}/sweep", "POST", {})["job"]
        while not at_work(server):
            time.sleep(0.002)
        time.sleep(0.1 * n)
        start = time.monotonic()
        ask(f"{server.url}/api/jobs/{job}", "DELETE")
        while at_work(server):
            time.sleep(0.002)
        longest = max(longest, time.monotonic() - start)
    return longest


def swept(server, cell):
    while True:
        last = ask(f"{server.url}/api/cells/{cell}/sweep")
        if last["fresh"] and not last["running"]:
            return
        time.sleep(0.02)


def main():
    parser = argparse.ArgumentParser()
    parser.add_argument("--binary", default=os.path.join(ROOT, "target/release/selvik"))
    parser.add_argument("--old", action="store_true")
    given = parser.parse_args()
    data = tempfile.mkdtemp()
    os.chmod(data, 0o755)
    script = os.path.join(ROOT, "tools/database.sh")
    cluster = os.path.join(data, "cluster")
    database = subprocess.run([script, "start", cluster], check=True, capture_output=True, text=True).stdout.strip()
    try:
        measure(given.binary, database, data, given.old)
    finally:
        subprocess.run([script, "stop", cluster], check=False)
        subprocess.run(["rm", "-rf", data], check=False)


def measure(binary, database, data, old):
    if not old:
        subprocess.run([binary, "migrate", "--database", database], check=True)
    demo, stress = os.path.join(data, "demo"), os.path.join(data, "stress")
    builder = os.path.join(os.path.dirname(os.path.abspath(binary)), "selvik-demo")
    subprocess.run([builder, demo], check=True)
    subprocess.run([builder, "--stress", stress], check=True)
    cells = [imported(binary, demo, database) for _ in range(30)]
    large = imported(binary, stress, database)

    server = Server(binary, database)
    first, after = memory(server, cells)
    print(f"memory: {first} MiB with none open, {after[0]} with one, {after[9]} with ten, {after[-1]} with thirty")
    took, whole = editors(server, large)
    median, late = statistics.median(took), took[int(len(took) * 0.95)]
    print(f"six editors, {len(took)} edits of the stress cell: median {median * 1e3:.0f} ms, 95 % within {late * 1e3:.0f} ms, "
          f"{len(took) / whole:.0f} a second")
    if not old:
        print(f"a sweep stopped after {stopped(server, large) * 1e3:.0f} ms at most, of ten")
    ask(f"{server.url}/api/cells/{large}/sweep", "POST", {})
    time.sleep(0.3)
    print(f"ending during a sweep, asked by Ctrl-C: {server.end(signal.SIGINT):.2f} s")

    if old:
        return
    cell = cells[0]
    server = Server(binary, database)
    ask(f"{server.url}/api/cells/{cell}/sweep", "POST", {})
    while ask(f"{server.url}/api/cells/{cell}/sweep")["running"]["waiting"]:
        time.sleep(0.01)
    server.end(signal.SIGKILL)
    start = time.monotonic()
    server = Server(binary, database)
    swept(server, cell)
    print(f"killed in the middle of a sweep and started again: swept after {time.monotonic() - start:.1f} s")
    server.end()

    server = Server(binary, database, "--no-worker")
    work = [binary, "work", "--database", database, "--cores", "1"]
    workers = [subprocess.Popen(work, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL) for _ in range(2)]
    start = time.monotonic()
    for cell in cells[10:22]:
        ask(f"{server.url}/api/cells/{cell}/sweep", "POST", {})
    time.sleep(1.0)
    workers[0].kill()
    workers[0].wait()
    for cell in cells[10:22]:
        swept(server, cell)
    print(f"two workers of one core, twelve cells, one worker killed after a second: all swept after {time.monotonic() - start:.1f} s")
    workers[1].terminate()
    workers[1].wait()
    server.end()


if __name__ == "__main__":
    main()
