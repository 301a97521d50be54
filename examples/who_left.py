#!/usr/bin/env python3
"""Writes everybody who unsubscribed from a brand since a day, as CSV on standard output.

Usage: who_left.py DAY [BRAND]      (a day as 2026-11-01; the first brand if none is named)
"""
import csv
import json
import os
import sys
import urllib.parse
import urllib.request

SERVICE = os.environ.get("AVENDEL_SERVICE", "http://127.0.0.1:7400")
TOKEN = os.environ["AVENDEL_TOKEN"]


def get(path, **query):
    asked = urllib.parse.urlencode({name: value for name, value in query.items() if value is not None})
    request = urllib.request.Request(
        f"{SERVICE}/api/v1{path}?{asked}", headers={"authorization": f"Bearer {TOKEN}"}
    )
    with urllib.request.urlopen(request) as answer:
        return json.load(answer)


def pages(path, **query):
    """Every item of a list, page by page: `next` of one page is the cursor of the one after it."""
    cursor = None
    while True:
        page = get(path, **query, cursor=cursor, limit=500)
        yield from page["items"]
        cursor = page["next"]
        if cursor is None:
            return


def main():
    if len(sys.argv) < 2:
        sys.exit(__doc__)
    brands = get("/brands")
    brand = next((one for one in brands if len(sys.argv) < 3 or one["name"] == sys.argv[2]), None)
    if brand is None:
        sys.exit(f"There is no brand of that name; there are {', '.join(one['name'] for one in brands)}.")
    out = csv.writer(sys.stdout)
    out.writerow(["address", "name"])
    since = f"{sys.argv[1]}T00:00:00Z"
    for contact in pages("/contacts", brandId=brand["id"], among="unsubscribed", since=since):
        out.writerow([contact["address"], contact["name"] or ""])


main()
