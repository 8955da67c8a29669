"""Shows what Evolution's own libraries find in a home: `evolution.py HOME` prints accounts, calendars and lists of tasks as JSON.

Run it with the system's Python, within `dbus-run-session`, with HOME and the XDG folders below that home.
"""

import configparser
import ctypes
import glob
import json
import os
import sys

import gi

gi.require_version("Camel", "1.2")
gi.require_version("EDataServer", "1.2")
gi.require_version("ECal", "2.0")
from gi.repository import Camel, ECal, EDataServer  # noqa: E402


class FolderInfo(ctypes.Structure):
    """`CamelFolderInfo`: Python's binding shows its pointers as numbers."""

    _fields_ = [
        ("next", ctypes.c_void_p), ("parent", ctypes.c_void_p), ("child", ctypes.c_void_p),
        ("full_name", ctypes.c_char_p), ("display_name", ctypes.c_char_p),
    ]


def letters_of(home, source, registry):
    """The folders of an account, by the path that its key file names, as the account's own library reads them."""
    extension = source.get_extension("Mail Account")
    assert extension.get_backend_name() == "mbox", extension.get_backend_name()
    keys = configparser.ConfigParser(interpolation=None)
    keys.read(glob.glob(f"{home}/.config/evolution/sources/{source.get_uid()}.source"))
    session = Camel.Session(user_data_dir=f"{home}/.local/share/evolution", user_cache_dir=f"{home}/.cache/evolution")
    store = session.add_service(source.get_uid(), "mbox", Camel.ProviderType.STORE)
    store.ref_settings().set_property("path", keys["Mbox Backend"]["Path"])
    store.connect_sync(None)
    folders = {}

    def look(at):
        while at:
            info = FolderInfo.from_address(at)
            full_name = info.full_name.decode()
            folder = store.get_folder_sync(full_name, 0, None)
            folder.refresh_info_sync(None)
            rows = []
            for uid in folder.get_uids():
                flags = folder.get_message_flags(uid)
                rows.append({
                    "subject": folder.get_message_info(uid).get_subject(),
                    "read": bool(flags & Camel.MessageFlags.SEEN),
                    "starred": bool(flags & Camel.MessageFlags.FLAGGED),
                })
            if rows:
                folders[full_name] = sorted(rows, key=lambda row: (row["subject"], row["read"]))
            look(info.child)
            at = info.next

    infos = store.get_folder_info_sync(None, Camel.StoreGetFolderInfoFlags.RECURSIVE, None)
    look(hash(infos))
    return folders


def entries_of(source, kind):
    # It does not wait for a network.
    client = ECal.Client.connect_sync(source, kind, 0xFFFFFFFF, None)
    _, entries = client.get_object_list_as_comps_sync("#t", None)
    return sorted(entry.get_summary().get_value() for entry in entries)


def main(home):
    Camel.init(f"{home}/.cache/camel", False)
    registry = EDataServer.SourceRegistry.new_sync(None)
    own = [source for source in registry.list_sources(None) if source.get_uid().startswith("porter-")]
    seen = {"letters": {}, "events": {}, "tasks": {}}
    for source in own:
        name = source.get_display_name()
        if source.has_extension("Mail Account"):
            seen["letters"][name] = letters_of(home, source, registry)
        if source.has_extension("Calendar"):
            seen["events"][name] = entries_of(source, ECal.ClientSourceType.EVENTS)
        if source.has_extension("Task List"):
            seen["tasks"][name] = entries_of(source, ECal.ClientSourceType.TASKS)
    json.dump(seen, sys.stdout, indent=1)


main(os.path.abspath(sys.argv[1]))
