"""A real browser, headless, spoken to over its pipe: opens a page, answers what is evaluated in it, prints it."""

import base64
import json
import os
import shutil
import subprocess
import tempfile

CHROMIUM = shutil.which("chromium") or shutil.which("chromium-browser") or shutil.which("google-chrome")
_FLAGS = (
    *("--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-sync"),
    *("--disable-background-networking", "--disable-component-update", "--remote-debugging-pipe"),
)


class Browser:
    """One page; `said` is what its console told, `asked` every address that it asked for."""

    def __init__(self):
        self.folder = tempfile.mkdtemp(prefix="browser-")
        to_read, self.write = os.pipe()
        self.read, to_write = os.pipe()

        def at_three_and_four():
            os.dup2(to_read, 3)
            os.dup2(to_write, 4)
            os.set_inheritable(3, True)  # a number that was right from the start is not passed on by itself
            os.set_inheritable(4, True)

        self.process = subprocess.Popen(
            [CHROMIUM, *_FLAGS, f"--user-data-dir={self.folder}"],
            preexec_fn=at_three_and_four,  # noqa: PLW1509 - no threads here
            close_fds=False, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        os.close(to_read)
        os.close(to_write)
        self.number, self.buffer, self.session = 0, b"", None
        self.said, self.asked, self.loaded = [], [], False
        target = self.call("Target.createTarget", url="about:blank")["targetId"]
        self.session = self.call("Target.attachToTarget", targetId=target, flatten=True)["sessionId"]
        for domain in ("Page", "Runtime", "Network", "Log"):
            self.call(f"{domain}.enable")

    def _next(self):
        while b"\0" not in self.buffer:
            more = os.read(self.read, 1 << 16)
            assert more, "the browser went away"
            self.buffer += more
        text, _, self.buffer = self.buffer.partition(b"\0")
        return json.loads(text)

    def _note(self, event):
        match event.get("method"):
            case "Runtime.consoleAPICalled" | "Runtime.exceptionThrown" | "Log.entryAdded":
                self.said.append(json.dumps(event["params"])[:500])
            case "Network.requestWillBeSent":
                self.asked.append(event["params"]["request"]["url"])
            case "Page.loadEventFired":
                self.loaded = True

    def call(self, method, **params):
        self.number += 1
        message = {"id": self.number, "method": method, "params": params}
        message |= {"sessionId": self.session} if self.session else {}
        os.write(self.write, json.dumps(message).encode() + b"\0")
        while True:
            answer = self._next()
            if answer.get("id") == self.number:
                assert "error" not in answer, answer
                return answer["result"]
            self._note(answer)

    def open(self, path, anchor="", width=1280, script=True, dark=False):
        self.said, self.asked, self.loaded = [], [], False
        self.call("Emulation.setScriptExecutionDisabled", value=not script)
        self.call("Emulation.setDeviceMetricsOverride", width=width, height=800, deviceScaleFactor=1, mobile=False)
        scheme = {"name": "prefers-color-scheme", "value": "dark" if dark else "light"}
        self.call("Emulation.setEmulatedMedia", features=[scheme])
        for url in ("about:blank", f"file://{path}{anchor}"):
            self.asked, self.loaded = [], False
            self.call("Page.navigate", url=url)
            while not self.loaded:
                self._note(self._next())
        self.call("Page.getLayoutMetrics")

    def value(self, expression):
        found = self.call("Runtime.evaluate", expression=expression, returnByValue=True, awaitPromise=True)
        assert "exceptionDetails" not in found, found["exceptionDetails"]
        return found["result"].get("value")

    def printed(self):
        return base64.b64decode(self.call("Page.printToPDF", preferCSSPageSize=True)["data"])

    def close(self):
        self.process.terminate()
        self.process.wait(timeout=20)
        shutil.rmtree(self.folder, ignore_errors=True)
