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


if __name__ == "__main__":
    for line in globals()[sys.argv[1]](sys.argv[2]):
        sys.stdout.buffer.write(line.encode("utf-8", "surrogatepass") + b"\n")
