"""Takes the pictures in docs/screenshots: each main command on the demo campus, in a real terminal window.

What a terminal shows is kept as text beside the pictures, so that a test can tell when one is stale.

Needs xvfb, xterm, imagemagick, chromium and fonts-dejavu-core (Debian packages).
"""

import contextlib
import fcntl
import os
import pty
import re
import shutil
import struct
import subprocess
import sys
import tempfile
import termios
import time
from pathlib import Path

ROOT = Path(__file__).parents[1]
SHOTS = ROOT / "docs" / "screenshots"
DISPLAY = ":97"
COMMANDS = {
    "audit": "inkov audit as-found",
    "prove": "inkov prove as-found",
    "drift": "inkov drift before as-found",
    "mend": "inkov mend as-found",
    "rehearse": "inkov rehearse as-found changes/natives.yaml",
    "sources": "inkov sources as-found",
    "gateways": "inkov gateways as-found",
    "recheck": "inkov prove mended --certificate proofs >/dev/null; inkov recheck proofs/*.json mended",
    "rogue": "inkov ports as-found --rogue",
    "links": "inkov links as-found",
    "vlans": "inkov vlans as-found",
    "ports": "inkov ports mended --switch kelp-hall-2 --switch watchtower-a",
    "trace": "inkov trace as-found rearing-tank seal-tank",
    "flood": "inkov flood as-found kelp-hall-1:8",
    "explain": "inkov explain native/mismatch",
    "tree": "inkov tree as-found",
    "trim": "inkov trim as-found",
}


COLUMNS, LINES = 139, 38
"""What a picture of a terminal shows of a command."""

TEXTS = SHOTS / "text"
"""What each picture of a terminal shows, as text: a test compares it with what the program prints today."""


def printed(command: str, quillfin: Path) -> str:
    """Returns the first lines that a command prints on a terminal of the size of the pictures, without colours.

    Args:
        command: as in `COMMANDS`.
        quillfin: the demo, in which it runs.
    """
    path = f"{Path(sys.executable).parent}:{os.environ['PATH']}"
    env = {k: v for k, v in os.environ.items() if k not in {"FORCE_COLOR", "COLUMNS"}} | {"PATH": path, "NO_COLOR": "1"}
    here, there = pty.openpty()
    fcntl.ioctl(there, termios.TIOCSWINSZ, struct.pack("HHHH", 41, COLUMNS, 0, 0))
    shell = subprocess.Popen(["bash", "-c", command], cwd=quillfin, env=env, stdin=there, stdout=there, stderr=there)
    os.close(there)
    seen = bytearray()
    with contextlib.suppress(OSError):  # the terminal is gone when the program is
        while part := os.read(here, 65536):
            seen += part
    shell.wait()
    os.close(here)
    text = re.sub(r"\r\x1b\[K[^\r\n]*(?=\r\x1b\[K)", "", seen.decode("utf-8"))  # how far it is, on a slow machine
    text = re.sub(r"\x1b\[[0-9;?]*[A-Za-z]|\r", "", text)
    return "".join(f"{line.rstrip()}\n" for line in text.split("\n")[:LINES]).rstrip("\n") + "\n"


LOOK = {
    "boldColors": "false",
    "color1": "#b00020",
    "color2": "#00701a",
    "color3": "#ffc20a",
    "color5": "#8a1c7c",
    "color6": "#005f73",
    "background": "#fdfdfb",
    "foreground": "#222222",
}


def picture(name: str, command: str, folder: Path) -> None:
    """Runs a command in a terminal window and saves what the window shows."""
    script, done = folder / "show.sh", folder / "done"
    done.unlink(missing_ok=True)
    script.write_text(  # `script` gives the program a terminal of its own, so that its first lines can be cut off
        f'cd {folder}/quillfin\nprintf \'$ %s\\n\\n\' "{command}"\nscript -qec "{command}" /dev/null | head -{LINES}\ntouch {done}\nsleep 60\n'
    )
    env = {**os.environ, "DISPLAY": DISPLAY, "PATH": f"{Path(sys.executable).parent}:{os.environ['PATH']}"}
    env |= {"LANG": "C.UTF-8", "FORCE_COLOR": "1"}
    look = [word for key, value in LOOK.items() for word in ("-xrm", f"XTerm*{key}: {value}")]
    shape = ["-fa", "DejaVu Sans Mono", "-fs", "11", "-geometry", f"{COLUMNS}x41+0+0", "-b", "12", "+sb", "-u8"]
    window = subprocess.Popen(["xterm", *shape, *look, "-e", "bash", str(script)], env=env)
    for _ in range(120):
        if done.exists():
            break
        time.sleep(0.5)
    time.sleep(1)  # for the window to draw it
    subprocess.run(["import", "-window", "root", "-colors", "64", str(SHOTS / f"{name}.png")], env=env, check=True)
    window.terminate()
    window.wait()


CHROMIUM = (
    "chromium",
    "--headless",
    "--no-sandbox",
    "--disable-gpu",
    "--no-first-run",
    "--disable-background-networking",
)


def drawing(folder: Path) -> None:
    """Draws the map of the demo with a VLAN in parts laid over it."""
    inkov = Path(sys.executable).parent / "inkov"
    made = folder / "map.png"
    subprocess.run([inkov, "map", folder / "quillfin" / "as-found", "-o", made, "--vlan", "340"], check=True)
    subprocess.run(["convert", made, "-resize", "1280x", "-colors", "64", str(SHOTS / "map.png")], check=True)


def page(folder: Path) -> None:
    """Writes the report of the demo and takes the top of it in a browser."""
    inkov = Path(sys.executable).parent / "inkov"
    made, shot = folder / "report.html", folder / "report.png"
    subprocess.run(
        [inkov, "report", folder / "quillfin" / "as-found", "-o", made], check=True, stdout=subprocess.DEVNULL
    )
    profile = f"--user-data-dir={folder / 'profile'}"
    command = [
        *CHROMIUM,
        profile,
        "--hide-scrollbars",
        "--window-size=1280,800",
        f"--screenshot={shot}",
        f"file://{made}",
    ]
    subprocess.run(command, check=True, stderr=subprocess.DEVNULL)
    subprocess.run(["convert", shot, "-colors", "64", str(SHOTS / "report.png")], check=True)


DRAWN = {"map": drawing, "report": page}


def main() -> None:
    missing = [p for p in ("Xvfb", "xterm", "import", "chromium") if shutil.which(p) is None]
    if missing:
        sys.exit(f"missing: {', '.join(missing)}; install xvfb, xterm, imagemagick and chromium")
    wanted = sys.argv[1:] or [*COMMANDS, *DRAWN]
    server = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
    try:
        time.sleep(1)
        with tempfile.TemporaryDirectory() as made:
            folder = Path(made)
            inkov = Path(sys.executable).with_name("inkov")
            subprocess.run([inkov, "demo", folder / "quillfin"], check=True, capture_output=True)
            for name in wanted:
                if name in DRAWN:
                    DRAWN[name](folder)
                else:
                    (TEXTS / f"{name}.txt").write_text(printed(COMMANDS[name], folder / "quillfin"), "utf-8")
                    picture(name, COMMANDS[name], folder)
    finally:
        server.terminate()


if __name__ == "__main__":
    main()
