"""What the printers lane asks a print system without porter: a small reader of its protocol (RFC 8010 and 8011)."""
import json
import socket
import struct
import sys

ABOUT_PRINTER, END = 4, 3


def attribute(tag, name, value):
    value = value if isinstance(value, bytes) else value.encode()
    return struct.pack(">BH", tag, len(name)) + name.encode() + struct.pack(">H", len(value)) + value


def ask(path, operation, uri="ipp://localhost/"):
    """The status, the groups about printers, and the document behind an answer."""
    body = struct.pack(">BBHI", 2, 0, operation, 1) + b"\1"
    body += attribute(0x47, "attributes-charset", "utf-8") + attribute(0x48, "attributes-natural-language", "en")
    body += attribute(0x45, "printer-uri", uri) + attribute(0x42, "requesting-user-name", "root") + bytes([END])
    with socket.socket(socket.AF_UNIX) as stream:
        stream.connect(path)
        head = f"POST / HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\nContent-Type: application/ipp\r\nContent-Length: {len(body)}\r\nAuthorization: PeerCred root\r\n\r\n"
        stream.sendall(head.encode() + body)
        answer = b""
        while piece := stream.recv(65536):
            answer += piece
    head, answer = answer.split(b"\r\n\r\n", 1)
    assert b" 200 " in head.split(b"\r\n")[0], head
    if b"chunked" in head.lower():
        whole = b""
        while answer:
            size, answer = answer.split(b"\r\n", 1)
            size = int(size, 16)
            whole, answer = whole + answer[:size], answer[size + 2:]
        answer = whole
    status, at, groups, name = struct.unpack(">H", answer[2:4])[0], 8, [], None
    while answer[at] != END:
        if answer[at] < 16:
            groups.append((answer[at], {}))
            at += 1
            continue
        tag = answer[at]
        (length,) = struct.unpack(">H", answer[at + 1:at + 3])
        name = answer[at + 3:at + 3 + length].decode() or name
        at += 3 + length
        (length,) = struct.unpack(">H", answer[at:at + 2])
        value = answer[at + 2:at + 2 + length]
        at += 2 + length
        if tag in (0x21, 0x23):
            value = struct.unpack(">i", value)[0]
        elif tag == 0x22:
            value = bool(value[0])
        else:
            value = value.decode("utf-8", "replace")
        groups[-1][1].setdefault(name, []).append(value)
    printers = [values for about, values in groups if about == ABOUT_PRINTER]
    return status, printers, answer[at + 1:]


def dump(path):
    """All queues with what makes them what they are, and the choices of their descriptions."""
    status, printers, _ = ask(path, 0x4002)
    assert status in (0, 1, 0x406), hex(status)
    kept = ["device-uri", "printer-make-and-model", "printer-info", "printer-location", "printer-is-shared", "printer-state",
            "printer-is-accepting-jobs", "requesting-user-name-allowed", "requesting-user-name-denied", "member-names",
            "printer-error-policy", "printer-op-policy", "job-sheets-default"]
    queues = {}
    for printer in printers:
        name = printer["printer-name"][0]
        queues[name] = {key: printer[key] for key in kept if key in printer}
        is_class = "member-names" in printer
        if is_class:
            queues[name].pop("device-uri", None)
        status, _, ppd = ask(path, 0x400F, f"ipp://localhost/{'classes' if is_class else 'printers'}/{name}")
        lines = [line for line in ppd.decode("latin-1").splitlines() if line.startswith("*Default")] if status == 0 else []
        queues[name]["choices"] = lines
    status, usual, _ = ask(path, 0x4001)
    usual = usual[0]["printer-name"][0] if status in (0, 1) and usual else None
    print(json.dumps({"queues": dict(sorted(queues.items())), "usual": usual}))


def describe(path):
    told = json.load(open(path))
    for name, queue in told["queues"].items():
        print(f"{name}: {queue.get('device-uri', queue.get('member-names'))}, {queue['printer-make-and-model'][0]}")
    print("usual:", told["usual"])


def same(one, other):
    """Two print systems with the same queues, to the last choice."""
    one, other = json.load(open(one)), json.load(open(other))
    assert one["queues"].keys() == other["queues"].keys(), (list(one["queues"]), list(other["queues"]))
    for name, queue in one["queues"].items():
        for key, value in queue.items():
            assert other["queues"][name].get(key) == value, (name, key, value, other["queues"][name].get(key))
    assert one["usual"] == other["usual"], (one["usual"], other["usual"])
    choices = sum(len(queue["choices"]) for queue in one["queues"].values())
    print(f"{len(one['queues'])} queues are the same, with {choices} choices, and so is the usual one, {one['usual']}")


def landed(path, number):
    items = [item for item in json.load(open(path))["items"] if "/printer/" in item["id"]]
    verdicts = {item["id"]: item["verdict"] for item in items}
    assert sum(verdict == "landed" for verdict in verdicts.values()) == int(number), verdicts
    print(f"{number} printers landed")


def of_windows(path):
    """The printer on the network, with its name and address; the one on a cable is not made up."""
    queues = json.load(open(path))["queues"]
    assert list(queues) == ["Front_desk"], queues
    desk = queues["Front_desk"]
    assert desk["device-uri"] == ["socket://192.0.2.20:9100"] and desk["printer-info"] == ["Front desk"], desk
    print("Front desk is at", desk["device-uri"][0])


def listen(port, to):
    """A printer: takes one job, and keeps it."""
    with socket.create_server(("127.0.0.1", int(port))) as server:
        stream, _ = server.accept()
        with stream, open(to, "wb") as page:
            while piece := stream.recv(65536):
                page.write(piece)


if __name__ == "__main__":
    globals()[sys.argv[1]](*sys.argv[2:])
