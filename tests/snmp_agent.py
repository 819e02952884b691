"""A real SNMP agent that serves what `writers.objects` says of a box, through its persistent pass protocol."""

import json
import os
import shutil
import socket
import subprocess
import sys
import time
from pathlib import Path

NOT_HERE = next(
    (p for p in ("snmpd", "snmpwalk") if shutil.which(p) is None and not Path(f"/usr/sbin/{p}").exists()), None
)

_SERVER = """
import json, sys
rows = [(tuple(o), k, v) for o, k, v in json.load(open(sys.argv[1]))]
by_oid = {o: (k, v) for o, k, v in rows}
say = lambda *lines: (sys.stdout.write("".join(f"{l}\\n" for l in lines)), sys.stdout.flush())
for line in sys.stdin:
    word = line.strip()
    if word == "PING":
        say("PONG")
        continue
    oid = tuple(int(p) for p in sys.stdin.readline().strip().strip(".").split("."))
    if word == "getnext":
        oid = next((o for o, _, _ in rows if o > oid), None)
    if oid not in by_oid:
        say("NONE")
        continue
    kind, value = by_oid[oid]
    name = {"text": "string", "octets": "octet", "int": "integer", "gauge": "gauge"}[kind]
    say("." + ".".join(map(str, oid)), name, value)
"""


class Agent:
    """Runs while it is entered; `walk` asks it with whatever options."""

    def __init__(self, folder, rows):
        self.folder = folder
        plain = [(o, k, v.hex(" ") if isinstance(v, bytes) else v) for o, k, v in rows]
        (folder / "rows.json").write_text(json.dumps(plain))
        (folder / "serve.py").write_text(_SERVER)
        command = f"{sys.executable} {folder}/serve.py {folder}/rows.json"
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        subtrees = (".1.3.6.1.2.1", ".1.0.8802", ".1.2.840.10006.300.43")
        lines = ["rocommunity pier", *(f"pass_persist -p 1 {s} {command}" for s in subtrees)]
        (folder / "snmpd.conf").write_text("\n".join(lines) + "\n")

    def __enter__(self):
        env = {**os.environ, "SNMP_PERSISTENT_DIR": str(self.folder), "MIBS": ""}
        self.running = subprocess.Popen(
            [
                *(shutil.which("snmpd") or "/usr/sbin/snmpd", "-f", "-Le", "-C", "-c", str(self.folder / "snmpd.conf")),
                *("-I", "pass,pass_persist,vacm_conf,vacm_vars,vacm_context,usmConf,usmUser", f"udp:127.0.0.1:{self.port}"),
            ],
            env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        for _ in range(50):
            time.sleep(0.1)
            if b"= " in self.walk("-On", ".1.3.6.1.2.1.1.5"):
                return self
        raise AssertionError("the agent does not answer")

    def walk(self, *args):
        """Returns what the walker prints, errors included."""
        done = subprocess.run(
            ["snmpwalk", "-v2c", "-c", "pier", "-t", "1", "-r", "1", "-m", "", "-Cc", *args[:1], f"127.0.0.1:{self.port}", *args[1:]],
            stdout=subprocess.PIPE, stderr=subprocess.STDOUT, check=False, timeout=60,
        )  # fmt: skip
        return done.stdout

    def __exit__(self, *_):
        self.running.terminate()
        self.running.wait(timeout=10)
