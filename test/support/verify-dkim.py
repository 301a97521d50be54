"""Verifies the DKIM signatures of a message with Debian's python3-dkim.

Standard input: JSON with `raw`, the message in base64, and `records`, texts of the DNS by name.
Standard output: JSON, for each signature its domain, its selector, the fields it covers, and whether it holds.
"""
import base64
import json
import sys

import dkim

given = json.load(sys.stdin)
raw = base64.b64decode(given["raw"])


def ask(name, timeout=5):
    name = (name.decode() if isinstance(name, bytes) else name).rstrip(".").lower()
    return given["records"].get(name, "").encode()


found = []
count = sum(1 for line in raw.split(b"\r\n\r\n")[0].split(b"\r\n") if line.lower().startswith(b"dkim-signature:"))
for index in range(count):
    one = dkim.DKIM(raw)
    try:
        holds = one.verify(idx=index, dnsfunc=ask)
    except dkim.DKIMException:
        holds = False
    tags = one.signature_fields
    found.append([tags[b"d"].decode(), tags[b"s"].decode(), tags[b"h"].decode(), holds])
print(json.dumps(found))
