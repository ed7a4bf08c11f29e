#!/usr/bin/env python3
"""Frames of the picture in headless Chromium with software rendering, beside a plain drawing of the same triangles.

    tools/bench/frames.py DATABASE_URL PACKAGE [PACKAGE ...]

Starts a server and the front end's development server on loopback, opens web/bench/frames.html once for each package, and
prints a table. A frame ends when a pixel of it has been read back. Everything it starts it ends.
"""

import http.server
import json
import os
import pathlib
import socket
import subprocess
import sys
import tempfile
import threading
import urllib.request

ROOT = pathlib.Path(__file__).resolve().parents[2]
SELVIK = os.environ.get("SELVIK", str(ROOT / "target/release/selvik"))
LONGEST_S = 400


def free_port():
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return s.getsockname()[1]


class Told(http.server.BaseHTTPRequestHandler):
    """Hears the figures."""

    def do_POST(self):
        self.server.told = json.loads(self.rfile.read(int(self.headers["Content-Length"])))
        self.send_response(204)
        self.end_headers()
        self.server.heard.set()

    def log_message(self, *_):
        pass


def wait_for(url):
    for _ in range(300):
        try:
            return urllib.request.urlopen(url, timeout=2).read()
        except OSError:
            threading.Event().wait(0.1)
    raise SystemExit(f"{url} does not answer")


def figures_of(address, cell, tell):
    tell.heard.clear()
    url = f"{address}/bench/frames.html?cell={cell}&tell=http://127.0.0.1:{tell.server_port}/{os.environ.get('ASKED', '')}"
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as profile:
        browser = subprocess.Popen(
            ["chromium", "--headless=new", "--no-sandbox", f"--user-data-dir={profile}", "--use-gl=angle",
             "--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--window-size=1280,800", "--disable-gpu-vsync", url],
            stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        try:
            if not tell.heard.wait(LONGEST_S):
                raise SystemExit("the page told nothing")
        finally:
            browser.terminate()
            browser.wait()
    return tell.told


def main(database, *packages):
    port, web = free_port(), free_port()
    started = [subprocess.Popen([SELVIK, "serve", "--listen", f"127.0.0.1:{port}", "--database", database],
                                stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)]
    env = {**os.environ, "SELVIK_SERVER": f"http://127.0.0.1:{port}"}
    started.append(subprocess.Popen(["node", "node_modules/vite/bin/vite.js", "--port", str(web), "--strictPort", "--host", "127.0.0.1"],
                                    cwd=ROOT / "web", env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL))
    tell = http.server.HTTPServer(("127.0.0.1", 0), Told)
    tell.heard = threading.Event()
    threading.Thread(target=tell.serve_forever, daemon=True).start()
    try:
        wait_for(f"http://127.0.0.1:{port}/healthz")
        wait_for(f"http://127.0.0.1:{web}/bench/frames.html")
        for package in packages:
            cell = subprocess.run([SELVIK, "import", package, "--database", database], check=True,
                                  capture_output=True, text=True).stdout.strip()
            told = figures_of(f"http://127.0.0.1:{web}", cell, tell)
            if "failed" in told:
                raise SystemExit(told["failed"])
            plain = next(f["median_ms"] for f in told["figures"] if f["what"] == "plain")
            print(f"\n{package}: {told['triangles']:,} triangles, {told['lines']:,} feature edges, levels made in {told.get('levels_ms', 0):,.0f} ms", flush=True)
            print(f"{'':22}{'moving':>10}{'slowest':>10}{'of plain':>10}{'script':>10}{'at rest':>10}")
            for figure in told["figures"]:
                fine = figure.get("fine_ms")
                print(f"{figure['what']:22}{figure['median_ms']:>7.0f} ms{max(figure['moving_ms']):>7.0f} ms"
                      f"{figure['median_ms'] / plain:>10.2f}{figure['script_median_ms']:>7.1f} ms" + (f"{fine:>7.0f} ms" if fine else ""))
    finally:
        tell.shutdown()
        for process in reversed(started):
            process.terminate()
            process.wait()


if __name__ == "__main__":
    if len(sys.argv) < 3:
        raise SystemExit(__doc__)
    main(*sys.argv[1:])
