#!/usr/bin/env python3
"""Tells who signed a trunk, a receipt (JSON) or its page (HTML), and whether it is what they signed, without porter.

    python3 verify.py TRUNK-FOLDER|RECEIPT.json|PAGE.html [KEY]

Needs Python 3.9 and the package `cryptography`. With KEY, the 64 digits that `porter workshop-key show` tells at the workshop, a signature by
another key is refused. Of a trunk this proves the newest list (of an open one the tag manifest), which pins down all the rest: check that with
porter, or by the proofs that trunk-format.md describes. The signature is described in signatures.md.
"""
import datetime
import hashlib
import json
import os
import re
import sys

from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey


def load(path):
    with open(path, "rb") as file:
        return file.read()


def of_trunk(folder):
    """The file that is signed, its signature, and what it is called there."""
    if os.path.exists(os.path.join(folder, "label.json")):
        name = max(name for name in os.listdir(folder) if re.fullmatch(r"list-\d+\.list", name))
        trunk, beside = json.loads(load(os.path.join(folder, "label.json")))["trunk_id"], name + ".sig"
    else:
        name, beside = "tagmanifest-sha512.txt", "porter/signature.json"
        trunk = json.loads(load(os.path.join(folder, "porter/label.json")))["trunk_id"]
    beside = os.path.join(folder, beside)
    signature = json.loads(load(beside)) if os.path.exists(beside) else None
    return load(os.path.join(folder, name)), signature, f"trunk {trunk} {name}"


def of_file(path):
    content = load(path)
    if path.endswith(".html"):
        page, mark, rest = content.rpartition(b"<!-- porter-signature ")
        return (page, json.loads(rest.rpartition(b" -->")[0]), "page") if mark else (content, None, "page")
    document = json.loads(content)
    signature = document.pop("signature", None)
    written = json.dumps(document, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    return written.encode(), signature, "receipt"


def main():
    if len(sys.argv) not in (2, 3):
        sys.exit(__doc__)
    path = sys.argv[1]
    content, signature, what = of_trunk(path) if os.path.isdir(path) else of_file(path)
    if signature is None:
        sys.exit("not signed")
    at = int(datetime.datetime.fromisoformat(signature["signed_utc"].replace("Z", "+00:00")).timestamp())
    digest = hashlib.sha256(content).hexdigest()
    message = f"porter-signature/1\n{what}\n{signature['by']}\n{at}\n{digest}\n"
    try:
        key = Ed25519PublicKey.from_public_bytes(bytes.fromhex(signature["key"]))
        key.verify(bytes.fromhex(signature["signature"]), message.encode())
    except (InvalidSignature, ValueError):
        sys.exit("altered since it was signed")
    if len(sys.argv) == 3 and sys.argv[2] != signature["key"]:
        sys.exit(f"signed by another key: {signature['key']}")
    print(f"signed by {signature['by']} at {signature['signed_utc']}, with the key {signature['key']}")


if __name__ == "__main__":
    main()
