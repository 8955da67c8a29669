"""Drives real browsers for `.ci/browsers`: Firefox by Marionette, Chromium by its DevTools protocol."""

import json
import os
import pathlib
import shutil
import subprocess
import sys
import tempfile
import time
import urllib.request

import websocket

from marionette import Marionette as Firefox
from marionette import wait

FOLDER, TITLE, URL = "Wind & weather", "Tide table ☂", "https://tides.example/today?a=1&b=2"
ORIGIN, USER, PASSWORD = "https://sailcloth.example", "odile", "forty kites at four"
OF_CHROMIUM = ("Sail plans of Chromium", "https://plans.example/sails")


PLACES = 'const { PlacesUtils } = ChromeUtils.importESModule("resource://gre/modules/PlacesUtils.sys.mjs");'


def gecko_make(home, porter, machine, trunk):
    browser = Firefox(home)
    browser.run(
        PLACES + """
        const folder = await PlacesUtils.bookmarks.insert({ parentGuid: "toolbar_____", type: 2, title: arguments[0] });
        await PlacesUtils.bookmarks.insert({ parentGuid: folder.guid, title: arguments[1], url: arguments[2] });
        const login = Cc["@mozilla.org/login-manager/loginInfo;1"].createInstance(Ci.nsILoginInfo);
        login.init(arguments[3], arguments[3], null, arguments[4], arguments[5], "", "");
        await Services.logins.addLoginAsync(login);
        return true;""",
        FOLDER, TITLE, URL, ORIGIN, USER, PASSWORD,
    )
    # Passwords are written when the browser finds time for it.
    wait("the password", lambda: next(pathlib.Path(home).rglob("logins.json"), None))
    time.sleep(1)
    said = subprocess.run([porter, "capture", machine, trunk, "--quiet"], capture_output=True, text=True)
    if said.returncode not in (0, 3) or "Firefox is running" not in said.stderr:
        sys.exit(f"capture: {said.returncode}\n{said.stdout}\n{said.stderr}")
    print(said.stderr.strip())
    browser.quit()


def gecko_see(home, downloads="", bookmark=""):
    browser = Firefox(home)
    seen = browser.run(
        PLACES + """
        const found = await PlacesUtils.bookmarks.search({ url: arguments[0] });
        const above = found.length ? await PlacesUtils.bookmarks.fetch(found[0].parentGuid) : null;
        const logins = await Services.logins.getAllLogins();
        const named = arguments[1] ? (await PlacesUtils.bookmarks.search(arguments[1])).length : 1;
        return { profile: Services.dirsvc.get("ProfD", Ci.nsIFile).leafName, title: found[0]?.title, folder: above?.title,
            logins: logins.map(l => [l.origin, l.username, l.password]), downloads: Services.prefs.getStringPref("browser.download.dir", ""), named };""",
        URL, bookmark,
    )
    browser.quit()
    print(seen["profile"], seen["folder"], "/", seen["title"], "and the password of", seen["logins"][0][1] if seen["logins"] else "nobody")
    if bookmark:
        assert seen["named"] == 1, seen
        return
    assert (seen["folder"], seen["title"]) == (FOLDER, TITLE), seen
    assert seen["logins"] == [[ORIGIN, USER, PASSWORD]], seen
    assert seen["downloads"] == downloads, seen


def gecko_lock(home):
    """Sets a primary password, as a person does in the settings."""
    browser = Firefox(home)
    is_set = browser.run(
        """
        const token = Cc["@mozilla.org/security/internalkeytoken;1"].createInstance(Ci.nsIPKCS11Token);
        if (token.hasPassword) throw new Error("there is one already");
        if (token.needsUserInit) token.initPassword(arguments[0]); else token.changePassword("", arguments[0]);
        return token.hasPassword;""",
        PASSWORD,
    )
    browser.quit()
    assert is_set is True, is_set


class Chromium:
    """The browser on a folder of profiles, in the one that opens by itself."""

    def __init__(self, home):
        self.elsewhere = tempfile.mkdtemp()
        data = f"{home}/.config/chromium"
        port_file = pathlib.Path(data, "DevToolsActivePort")
        port_file.unlink(missing_ok=True)
        self.process = subprocess.Popen(
            ["chromium", "--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
             "--disable-component-update", "--disable-sync", "--password-store=basic", "--remote-debugging-port=0", "--remote-allow-origins=*",
             f"--user-data-dir={data}", "about:blank"],
            env={**os.environ, "HOME": self.elsewhere}, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )
        self.port = wait("DevTools", lambda: port_file.read_text().split()[0] if port_file.exists() else None)
        self.number = 0

    def page(self, url):
        request = urllib.request.Request(f"http://127.0.0.1:{self.port}/json/new?{url}", method="PUT")
        target = json.load(wait("a page", lambda: urllib.request.urlopen(request)))
        self.socket = websocket.create_connection(target["webSocketDebuggerUrl"], timeout=30)
        # A page of the browser's own fills itself after it is loaded, so each question below is asked until it has an answer.
        wait(url, lambda: self.run("return document.readyState === 'complete' && location.href.startsWith(%s);" % json.dumps(url)))

    def ask(self, method, **parameters):
        self.number += 1
        self.socket.send(json.dumps({"id": self.number, "method": method, "params": parameters}))
        while True:
            answer = json.loads(self.socket.recv())
            if answer.get("id") == self.number:
                return answer

    def run(self, script):
        answer = self.ask("Runtime.evaluate", expression=f"(async () => {{ {script} }})()", awaitPromise=True, returnByValue=True)
        result = answer["result"]
        if "exceptionDetails" in result:
            sys.exit(json.dumps(result))
        return result["result"].get("value")

    def answer(self, script):
        """The value of the script once there is one; what it is at the end of the time if it stays empty."""
        value = None
        for _ in range(120):
            value = self.run(script)
            if value:
                break
            time.sleep(0.5)
        return value

    def quit(self):
        self.ask("Browser.close")
        self.process.wait(60)
        shutil.rmtree(self.elsewhere, ignore_errors=True)


def chromium_make(home, porter, machine, trunk):
    browser = Chromium(home)
    browser.page("chrome://bookmarks")
    browser.run(
        f"""const folder = await chrome.bookmarks.create({{ parentId: "1", title: {json.dumps(FOLDER)} }});
        await chrome.bookmarks.create({{ parentId: folder.id, title: {json.dumps(TITLE)}, url: {json.dumps(URL)} }});
        await chrome.bookmarks.create({{ parentId: "1", title: {json.dumps(OF_CHROMIUM[0])}, url: {json.dumps(OF_CHROMIUM[1])} }});"""
    )
    browser.page("chrome://password-manager/passwords")
    browser.run(
        f"""await chrome.passwordsPrivate.addPassword({{ url: {json.dumps(ORIGIN)}, username: {json.dumps(USER)},
        password: {json.dumps(PASSWORD)}, note: "", useAccountStore: false }});"""
    )
    # The browser writes its files some seconds after they changed.
    folder = pathlib.Path(home, ".config/chromium")

    def is_written(path, words):
        text = path.read_text() if path.exists() else ""
        return True if all(word in text for word in words) else None

    wait("the bookmarks on the drive", lambda: is_written(folder / "Default/Bookmarks", [URL, OF_CHROMIUM[1]]))
    wait("the list of profiles", lambda: is_written(folder / "Local State", ['"info_cache"']))
    time.sleep(3)
    said = subprocess.run([porter, "capture", machine, trunk, "--only", "*/chromium*", "--quiet"], capture_output=True, text=True)
    if said.returncode not in (0, 3) or "is running" not in said.stderr:
        sys.exit(f"capture: {said.returncode}\n{said.stdout}\n{said.stderr}")
    print(said.stderr.strip())
    browser.quit()


def chromium_start(home):
    browser = Chromium(home)
    browser.page("about:blank")
    time.sleep(3)
    browser.quit()


def chromium_bookmarks(browser):
    browser.page("chrome://bookmarks")
    return browser.answer(
        f"""const found = await chrome.bookmarks.search({{ url: {json.dumps(URL)} }});
        const above = found.length ? await chrome.bookmarks.get(found[0].parentId) : [];
        return above.length ? {{ title: found[0].title, folder: above[0].title }} : null;"""
    ) or {"title": None, "folder": None}


def chromium_see(home, expected):
    state = json.loads(pathlib.Path(home, ".config/chromium/Local State").read_text())
    assert state["profile"]["last_used"] == expected, state["profile"]
    browser = Chromium(home)
    seen = chromium_bookmarks(browser)
    browser.page("chrome://password-manager/passwords")
    seen["logins"] = browser.answer(
        """const groups = await chrome.passwordsPrivate.getCredentialGroups();
        return groups.length ? groups.map(g => [g.name, g.entries[0].username]) : null;"""
    ) or []
    browser.page("chrome://version")
    seen["profile"] = browser.answer('return document.querySelector("#profile_path")?.textContent;').rsplit("/", 1)[-1]
    browser.quit()
    print(seen["profile"], seen["folder"], "/", seen["title"], "and the password of", seen["logins"])
    assert seen["profile"] == expected, seen
    assert (seen["folder"], seen["title"]) == (FOLDER, TITLE), seen
    assert [login[1] for login in seen["logins"]] == [USER], seen
    kept = json.loads(pathlib.Path(home, ".config/chromium", expected, "Bookmarks").read_text())
    assert FOLDER in json.dumps(kept, ensure_ascii=False), "the browser wrote other bookmarks"


def chromium_sees_bookmark(home):
    browser = Chromium(home)
    seen = chromium_bookmarks(browser)
    browser.quit()
    print(seen)
    assert (seen["folder"], seen["title"]) == (FOLDER, TITLE), seen


if __name__ == "__main__":
    globals()[sys.argv[1].replace("-", "_")](*sys.argv[2:])
