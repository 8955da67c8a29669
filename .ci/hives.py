"""Dumps a hive with readers that others made, in the lines of the example `hive dump`."""
import sys


def by_hivex(path):
    import hivex
    hive = hivex.Hivex(path)
    pending = [("", hive.root())]
    while pending:
        path, node = pending.pop()
        yield path
        for value in hive.node_values(node):
            kind, data = hive.value_value(value)
            yield f"{path}\t{hive.value_key(value)}\t{kind}\t{data.hex()}"
        pending.extend((f"{path}\\{hive.node_name(child)}", child) for child in hive.node_children(node))


def by_regipy(path):
    """Keys and names of values: what regipy makes of data is its own."""
    from regipy.registry import RegistryHive
    hive = RegistryHive(path)
    pending = [("", hive.root)]
    while pending:
        path, key = pending.pop()
        yield path
        for value in key.iter_values():
            yield f"{path}\t{'' if value.name == '(default)' else value.name}"
        pending.extend((f"{path}\\{child.name}", child) for child in key.iter_subkeys())


def demo_accounts(config):
    """The profile of each person, as regipy's own reading of the profile list tells it."""
    from regipy.plugins.plugin import PLUGINS
    from regipy.registry import RegistryHive
    hive = RegistryHive(config)
    plugin = next(plugin for plugin in PLUGINS if plugin.NAME == "profilelist_plugin")(hive, as_json=True)
    plugin.run()
    for profile in plugin.entries:
        if profile["sid"].startswith("S-1-5-21-"):
            yield f"{profile['sid']} {profile['path'][3:]}".replace("\\", "/")


def replayed(config):
    """The hive with its log, as regipy puts it together."""
    from regipy.recovery import apply_transaction_logs
    apply_transaction_logs(config, config + ".LOG1", restored_hive_path="replayed")
    yield from demo_accounts("replayed")


def machine(config):
    """What a machine is called, what is installed, its time zone and its printers, as hivex reads them."""
    import hivex

    def open_key(hive, path):
        node = hive.root()
        for name in path.split("\\"):
            node = node and hive.node_get_child(node, name)
        return node

    def text(hive, node, name):
        values = hive.node_values(node) if node else []
        return next((hive.value_string(value) for value in values if hive.value_key(value) == name), None)

    software, system = hivex.Hivex(config + "/SOFTWARE"), hivex.Hivex(config + "/SYSTEM")
    product = text(software, open_key(software, "Microsoft\\Windows NT\\CurrentVersion"), "ProductName")
    yield f"product {product.split(' ')[0]}"
    control = "ControlSet001\\Control"
    yield "name " + text(system, open_key(system, control + "\\ComputerName\\ComputerName"), "ComputerName")
    zone = open_key(system, control + "\\TimeZoneInformation")
    yield "zone " + (text(system, zone, "TimeZoneKeyName") or text(system, zone, "StandardName"))
    for below in ["", "Wow6432Node\\"]:
        node = open_key(software, below + "Microsoft\\Windows\\CurrentVersion\\Uninstall")
        for child in software.node_children(node) if node else []:
            yield "program {} {}".format(*(text(software, child, name) for name in ["DisplayName", "DisplayVersion"]))
    for hive, path in [(system, control + "\\Print\\Printers"), (software, "Microsoft\\Windows NT\\CurrentVersion\\Print\\Printers")]:
        node = open_key(hive, path)
        for child in hive.node_children(node) if node else []:
            if text(hive, child, "Port") != "PORTPROMPT:":
                yield "printer {} {}".format(text(hive, child, "Name"), text(hive, child, "Printer Driver"))


def surveyed(survey):
    """The same of what porter surveyed."""
    import json
    survey = json.load(open(survey))
    facts = {item["id"]: item["facts"] for item in survey["items"]}
    yield f"product {survey['machine']['system']['product'].split(' ')[0]}"
    yield "name " + survey["machine"]["name"]
    yield "zone " + facts["machine/setting/time-zone"]["windows"]
    for program in survey["programs"]:
        yield f"program {program['name']} {program['version']}"
    for item, values in facts.items():
        if item.startswith("machine/printer/"):
            yield f"printer {values['name']} {values['driver']}"


if __name__ == "__main__":
    for line in globals()[sys.argv[1]](sys.argv[2]):
        sys.stdout.buffer.write(line.encode("utf-8", "surrogatepass") + b"\n")
