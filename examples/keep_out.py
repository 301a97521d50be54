#!/usr/bin/env python3
"""Enters addresses, one a line on standard input, on a suppression list of your own.

Usage: keep_out.py LIST [REASON] < addresses.txt

Can be run again with the same addresses: what stands on the list already stays as it is.
"""
import json
import os
import sys
import urllib.error
import urllib.request

SERVICE = os.environ.get("AVENDEL_SERVICE", "http://127.0.0.1:7400")
TOKEN = os.environ["AVENDEL_TOKEN"]
AT_ONCE = 1000


def call(method, path, body=None):
    """Asks the API; ends with the service's own words when it refuses."""
    request = urllib.request.Request(
        f"{SERVICE}/api/v1{path}",
        method=method,
        data=None if body is None else json.dumps(body).encode(),
        headers={"authorization": f"Bearer {TOKEN}", "content-type": "application/json"},
    )
    try:
        with urllib.request.urlopen(request) as answer:
            return json.load(answer)
    except urllib.error.HTTPError as refusal:
        problem = json.load(refusal)
        sys.exit(f"{problem['title']}: {problem['detail']} {problem['next']}")


def find_or_make(name):
    lists = call("GET", "/suppression-lists")
    return next((one for one in lists if one["name"] == name), None) or call(
        "POST", "/suppression-lists", {"name": name, "reach": "everything"}
    )


def main():
    if len(sys.argv) < 2:
        sys.exit(__doc__)
    reason = sys.argv[2] if len(sys.argv) > 2 else "another system says so"
    addresses = [line.strip() for line in sys.stdin if line.strip()]
    kept_out = find_or_make(sys.argv[1])
    entered = known = refused = 0
    for start in range(0, len(addresses), AT_ONCE):
        answer = call(
            "POST",
            f"/suppression-lists/{kept_out['id']}/entries",
            {"values": addresses[start : start + AT_ONCE], "reason": reason},
        )
        entered += answer["entered"]
        known += answer["known"]
        refused += len(answer["refused"])
        for one in answer["refused"]:
            print(f"line {start + one['row']}: {one['value']}: {one['detail']}", file=sys.stderr)
    print(f"{entered} entered on {kept_out['name']}, {known} stood there already")
    # What could not be entered is told by the exit code, too: somebody has to look.
    sys.exit(1 if refused > 0 else 0)


main()
