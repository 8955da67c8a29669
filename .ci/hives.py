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


if __name__ == "__main__":
    for line in globals()[sys.argv[1]](sys.argv[2]):
        sys.stdout.buffer.write(line.encode("utf-8", "surrogatepass") + b"\n")
