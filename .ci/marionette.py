"""Real programs of Mozilla's, driven by Marionette."""

import json
import os
import socket
import subprocess
import sys
import time


def wait(what, found, seconds=60):
    end = time.time() + seconds
    while time.time() < end:
        try:
            value = found()
            if value is not None:
                return value
        except OSError:
            pass
        time.sleep(0.2)
    sys.exit(f"{what}: waited {seconds} s in vain")


class Marionette:
    """A program as it starts by itself, in the profile that it chooses."""

    def __init__(self, home, program=("firefox-esr", "about:blank"), root=None):
        """With a root, its `home` is the program's `/home`: paths are as they are on that machine."""
        env = {**os.environ, "HOME": home, "MOZ_HEADLESS": "1"}
        there = ["unshare", "--mount", "sh", "-c", 'mount --bind "$0" /home && exec "$@"', f"{root}/home"] if root else []
        for name in ("XDG_CONFIG_HOME", "XDG_CACHE_HOME"):
            env.pop(name, None)
        self.process = subprocess.Popen(
            [*there, program[0], "--marionette", "--remote-allow-system-access", *program[1:]],
            env=env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )
        self.socket = wait("Marionette", lambda: socket.create_connection(("127.0.0.1", 2828), 120))
        self.number = 0
        self.read()
        self.ask("WebDriver:NewSession", {})
        # Half a minute is not enough beside other work.
        self.ask("WebDriver:SetTimeouts", {"script": 120000})
        self.ask("Marionette:SetContext", {"value": "chrome"})

    def read(self):
        length = b""
        while not length.endswith(b":"):
            one = self.socket.recv(1)
            if not one:
                sys.exit("the program closed its connection")
            length += one
        wanted, data = int(length[:-1]), b""
        while len(data) < wanted:
            data += self.socket.recv(wanted - len(data))
        return json.loads(data)

    def ask(self, command, parameters):
        self.number += 1
        text = json.dumps([0, self.number, command, parameters]).encode()
        self.socket.sendall(b"%d:%s" % (len(text), text))
        _, _, error, result = self.read()
        if error:
            sys.exit(f"{command}: {error}")
        return result

    def run(self, script, *arguments):
        script = "const [give] = [arguments[arguments.length - 1]]; (async () => {" + script + "})().then(give, e => give('failed: ' + e));"
        value = self.ask("WebDriver:ExecuteAsyncScript", {"script": script, "args": list(arguments), "scriptTimeout": 100000})["value"]
        if isinstance(value, str) and value.startswith("failed: "):
            sys.exit(value)
        return value

    def quit(self):
        self.ask("Marionette:Quit", {"flags": ["eForceQuit"]})
        self.process.wait(60)
