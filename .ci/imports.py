"""Compares what a Windows program imports (objdump -p, on standard input) with the list that was looked through: every
function there is documented for Windows 7 or earlier."""
import re
import sys

known = {line.strip() for line in open(sys.argv[1], encoding="utf-8") if line.strip() and not line.startswith("#")}
library, found = None, set()
for line in sys.stdin:
    if match := re.search(r"DLL Name: (\S+)", line):
        library = match[1].lower().removesuffix(".dll")
    elif match := re.match(r"\s+[0-9a-f]+\s+(?:<none>\s+)?(?:[0-9a-f]+\s+)?(\d+)\s+([A-Za-z_]\w*)", line):
        if library:
            found.add(f"{library} {match[2]}")
new = sorted(found - known)
if not found or new:
    sys.exit("not looked through yet: " + ", ".join(new or ["no imports were read"]))
print(f"{len(found)} functions of {len({name.split()[0] for name in found})} libraries, all known to Windows 7")
