import { spawnSync } from 'node:child_process';

/** A signature of a message, as another implementation reads it. */
export interface VerifiedSignature {
  domain: string;
  selector: string;
  /** Names of the header fields that it covers, in lower case. */
  fields: string[];
  holds: boolean;
}

/** Has Debian's python3-dkim verify the signatures of a message, with these texts in the DNS. */
export function verifyDkim(raw: Buffer | string, records: Record<string, string>): VerifiedSignature[] {
  const input = JSON.stringify({ raw: Buffer.from(raw).toString('base64'), records });
  const { stdout, stderr, status } = spawnSync('/usr/bin/python3', ['test/support/verify-dkim.py'], {
    input,
    encoding: 'utf8',
  });
  if (status !== 0) throw new Error(`python3-dkim: ${stderr}`);
  return (JSON.parse(stdout) as [string, string, string, boolean][]).map(([domain, selector, fields, holds]) => ({
    domain,
    selector,
    fields: fields
      .toLowerCase()
      .split(':')
      .map((field) => field.trim()),
    holds,
  }));
}
