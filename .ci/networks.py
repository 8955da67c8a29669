"""Connections of NetworkManager, written and read by its own library (libnm), for `.ci/reality`."""

import pathlib
import sys

import gi

gi.require_version("NM", "1.0")
from gi.repository import NM, GLib

NETWORKS = [
    ("Loft & Sail", "wpa-psk", "forty kites at 4", True),
    (" spaces ", "wpa-psk", "\\\\ and ; too", False),
    ("Übernaht", "sae", "spar", False),
    ("76;111;", "wpa-psk", "a" * 64, False),
    ("Harbour", None, None, False),
]


def make(folder):
    for number, (name, key_management, password, hidden) in enumerate(NETWORKS):
        connection = NM.SimpleConnection.new()
        of_all = NM.SettingConnection.new()
        of_all.props.id, of_all.props.type, of_all.props.uuid = name, "802-11-wireless", NM.utils_uuid_generate()
        wireless = NM.SettingWireless.new()
        wireless.props.ssid, wireless.props.hidden = GLib.Bytes.new(name.encode()), hidden
        settings = [of_all, wireless]
        if key_management:
            security = NM.SettingWirelessSecurity.new()
            security.props.key_mgmt, security.props.psk = key_management, password
            settings.append(security)
        for setting in settings:
            connection.add_setting(setting)
        connection.normalize(None)
        path = pathlib.Path(folder, f"{number}.nmconnection")
        path.write_text(NM.keyfile_write(connection, NM.KeyfileHandlerFlags.NONE, None, None).to_data()[0])
    read(folder)


def read(folder):
    found = []
    for path in pathlib.Path(folder).iterdir():
        assert path.stat().st_mode & 0o77 == 0 or sys.argv[1] == "make", f"others may read {path}"
        file = GLib.KeyFile()
        file.load_from_file(str(path), GLib.KeyFileFlags.NONE)
        connection = NM.keyfile_read(file, str(path.parent.absolute()), NM.KeyfileHandlerFlags.NONE, None, None)
        assert connection.verify() and connection.verify_secrets(), path
        wireless, security = connection.get_setting_wireless(), connection.get_setting_wireless_security()
        found.append((wireless.get_ssid().get_data(), wireless.get_hidden(), security and (security.get_key_mgmt(), security.get_psk())))
    for row in sorted(found):
        print(*row)


if __name__ == "__main__":
    {"make": make, "read": read}[sys.argv[1]](sys.argv[2])
