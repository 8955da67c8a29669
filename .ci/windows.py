"""What the Windows lane looks at without porter: two trunks' lists, and a tree with names that Windows cannot hold."""
import json
import os
import sys


def entries(trunk):
    """Each entry without what the two systems tell differently of one tree: the time of creation and the archive mark,
    which only Windows' interface gives, and the permissions, which only Linux has."""
    found = {}
    for line in open(os.path.join(trunk, "porter/entries.jsonl"), encoding="utf-8"):
        entry = json.loads(line)
        entry.pop("created_utc", None)
        entry.pop("mode", None)
        attributes = [mark for mark in entry.pop("attributes", []) if mark != "archive"]
        key = (entry["item"], entry.get("path_hex") or entry["path"])
        assert key not in found, key
        found[key] = (entry, attributes)
    return found


def same_entries(first, second):
    """The same entries, with the same hashes, times and marks."""
    one, other = entries(first), entries(second)
    assert one.keys() == other.keys(), sorted(one.keys() ^ other.keys())[:10]
    for key, entry in one.items():
        assert entry == other[key], (entry, other[key])
    marked = sum(1 for _, attributes in one.values() if attributes)
    assert marked, "no file is marked"
    print(f"{len(one)} entries are the same, {marked} of them hidden, system or read-only")


def registry_landed(receipt, at_least):
    """All values that came into the registry are there."""
    counts = [count for item in json.load(open(receipt, encoding="utf-8"))["items"] for count in item["counts"]]
    values = [count for count in counts if count["name"] == "registry values"]
    assert all(count["captured"] == count["landed"] for count in values), values
    landed = sum(count["landed"] for count in values)
    assert landed >= int(at_least), landed
    print(f"{landed} values are in the registry")


ODD = ["NUL", "aux.txt", "dots at the end...", "Plan.txt", "plan.TXT", "a<b>c.txt"]


# Values of Odile's settings, as `reg query` shows them: key, name, type, value. Formats, country and keyboard layouts are
# none of them: Wine writes its own into the registry whenever a program starts.
SETTINGS = [
    ("Control Panel\\International\\User Profile", "ShowAutoCorrection", "REG_DWORD", "0x0"),
    ("Control Panel\\International\\User Profile\\fr-FR", "040C:0000040C", "REG_DWORD", "0x1"),
    ("Keyboard Layout\\Toggle", "Language Hotkey", "REG_SZ", "2"),
    ("Control Panel\\Keyboard", "KeyboardDelay", "REG_SZ", "2"),
    ("Control Panel\\Keyboard", "KeyboardSpeed", "REG_SZ", "20"),
    ("Control Panel\\Desktop", "CursorBlinkRate", "REG_SZ", "900"),
    ("Control Panel\\Desktop", "CaretWidth", "REG_DWORD", "0x3"),
    ("Control Panel\\Mouse", "SwapMouseButtons", "REG_SZ", "1"),
    ("Control Panel\\Mouse", "DoubleClickSpeed", "REG_SZ", "720"),
    ("Control Panel\\Mouse", "MouseSensitivity", "REG_SZ", "7"),
    ("Control Panel\\Mouse", "MouseTrails", "REG_SZ", "5"),
    ("Control Panel\\Mouse", "SnapToDefaultButton", "REG_SZ", "1"),
    ("Control Panel\\Desktop", "WheelScrollLines", "REG_SZ", "6"),
    ("Control Panel\\Desktop", "WheelScrollChars", "REG_SZ", "5"),
    ("Control Panel\\Cursors", "Arrow", "REG_EXPAND_SZ", "C:\\users\\{user}\\Pictures\\arrow.cur"),
    ("Control Panel\\Cursors", "IBeam", "REG_EXPAND_SZ", "%SystemRoot%\\cursors\\beam_rl.cur"),
    ("Control Panel\\Cursors", "CursorBaseSize", "REG_DWORD", "0x30"),
    ("Control Panel\\Desktop", "Wallpaper", "REG_SZ", "C:\\users\\{user}\\Pictures\\2012\\IMG_0000.png"),
    ("Control Panel\\Desktop", "WallpaperStyle", "REG_SZ", "10"),
    ("Control Panel\\Colors", "Background", "REG_SZ", "12 64 92"),
    ("Control Panel\\Desktop", "SCRNSAVE.EXE", "REG_SZ", "C:\\Windows\\system32\\Mystify.scr"),
    ("Control Panel\\Desktop", "ScreenSaveTimeOut", "REG_SZ", "1200"),
    ("Control Panel\\Desktop", "ScreenSaverIsSecure", "REG_SZ", "1"),
    ("Software\\Microsoft\\Windows\\CurrentVersion\\Themes\\Personalize", "AppsUseLightTheme", "REG_DWORD", "0x0"),
    ("Software\\Microsoft\\Accessibility", "TextScaleFactor", "REG_DWORD", "0x7d"),
    ("Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\Advanced", "Hidden", "REG_DWORD", "0x1"),
    ("Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\Advanced", "HideFileExt", "REG_DWORD", "0x0"),
    ("Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\Advanced", "TaskbarGlomLevel", "REG_DWORD", "0x2"),
    ("Control Panel\\Sound", "Beep", "REG_SZ", "no"),
    ("Control Panel\\Accessibility\\StickyKeys", "Flags", "REG_SZ", "506"),
    ("Control Panel\\Accessibility\\Keyboard Response", "Flags", "REG_SZ", "122"),
    ("Control Panel\\Accessibility\\ToggleKeys", "Flags", "REG_SZ", "59"),
    ("Software\\Microsoft\\ScreenMagnifier", "Magnification", "REG_DWORD", "0x96"),
    ("Environment", "KITE_PLANS", "REG_SZ", "C:\\Kite Plans"),
    ("Network\\K", "RemotePath", "REG_SZ", "\\\\TIDEHOUSE\\kites"),
    ("Network\\K", "UserName", "REG_DWORD", "0x0"),
]


def settings_set(dump, user):
    """Each value stands in the registry, as Windows' own program shows it."""
    found, key = {}, None
    for line in open(dump, encoding="utf-8", errors="replace").read().replace("\r", "").split("\n"):
        if line.startswith("HKEY_"):
            key = line.split("\\", 2)[2].lower() if line.count("\\") > 1 else ""
        elif line.startswith("    ") and key is not None:
            name, kind, value = (line.strip().split("    ") + ["", ""])[:3]
            found[key, name.lower()] = (kind, value)
    wrong = []
    for key, name, kind, value in SETTINGS:
        there = found.get((key.lower(), name.lower()))
        value = value.format(user=user) if "{user}" in value else value
        if there is None or there[0] != kind or there[1].lower() != value.lower():
            wrong.append((key, name, value, there))
    assert not wrong, wrong
    print(f"{len(SETTINGS)} values of settings are as they were on the old machine")


def settings_landed(receipt):
    """All settings landed, but for what this system has no place for."""
    items = [item for item in json.load(open(receipt, encoding="utf-8"))["items"] if "odile/setting/" in item["id"]]
    landed = [item["id"] for item in items if item["verdict"] == "landed"]
    others = sorted(item["id"].rsplit("/", 1)[-1] for item in items if item["verdict"] not in ("landed", "not_chosen"))
    # Wine has no events with sounds, and no printer; formats and layouts are its own.
    assert set(others) <= {"sounds", "default-printer", "locale", "region", "keyboard", "autostart", "default-programs", "order-book"}, others
    assert len(landed) >= 16, landed
    print(f"{len(landed)} settings landed")


def odd_tree(documents):
    """Names that Windows cannot hold, and a file 400 characters deep."""
    for name in ODD:
        with open(os.path.join(documents, name), "w", encoding="utf-8") as file:
            file.write(f"the content of {name}")
    deep = os.path.join(documents, *(["forty characters of folder name, of them"] * 10))
    os.makedirs(deep)
    with open(os.path.join(deep, "at the bottom.txt"), "w", encoding="utf-8") as file:
        file.write("the content of at the bottom.txt")


def odd_landed(documents, receipt):
    """Every content is there, once, and each safe name is on the receipt with the name it stands for."""
    there = {}
    for folder, _, names in os.walk(documents):
        for name in names:
            text = open(os.path.join(folder, name), encoding="utf-8").read()
            if text.startswith("the content of "):
                there[text.removeprefix("the content of ")] = os.path.join(folder, name)
    assert sorted(there) == sorted(ODD + ["at the bottom.txt"]), there
    assert len(there["at the bottom.txt"]) - len(documents) > 400
    document = json.load(open(receipt, encoding="utf-8"))
    landed_as = {}
    for item in document["items"]:
        for finding in item["reasons"]:
            if finding["details"]["code"] == "landed-as":
                landed_as[finding["path"]] = os.path.basename(finding["details"]["path"])
    for name in ODD:
        actual = os.path.basename(there[name])
        assert actual == name or landed_as[name] == actual, (name, actual, landed_as)
    assert len(landed_as) == 5, landed_as
    print("under safe names:", ", ".join(f"{old} is {new}" for old, new in sorted(landed_as.items())))


PROFILE = "AppData/Roaming/Thunderbird/Profiles/k1t3s4lt.default"


def same_bytes(old, new):
    """Every file of every person in `old` is in `new`, byte for byte; what the carry rules leave is not looked for."""
    files = 0
    for account in ("odile", "tamsin", "bram"):
        for place in ("Desktop", "Documents", "Downloads", "Favorites", "Music", "Pictures", "Videos"):
            start = os.path.join(old, "Users", account, place)
            for folder, _, names in os.walk(start):
                for name in names:
                    source = os.path.join(folder, name)
                    if os.path.islink(source) or name.lower() in ("desktop.ini", "thumbs.db"):
                        continue
                    below = os.path.relpath(source, os.path.join(old, "Users", account))
                    # Mail that lay outside of its profile comes into it.
                    below = below.replace("Documents/Old mail/", f"{PROFILE}/Mail/outside-1/Old mail/")
                    target = os.path.join(new, "users", account, below)
                    with open(source, "rb") as a, open(target, "rb") as b:
                        assert a.read() == b.read(), target
                    files += 1
    print(f"{files} files are the same on both machines")


if __name__ == "__main__":
    globals()[sys.argv[1]](*sys.argv[2:])
