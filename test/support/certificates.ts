import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

export interface Certificate {
  /** PEM, and the files that hold it. */
  certificate: string;
  key: string;
  files: { certificate: string; key: string };
}

export interface Authority {
  /** The authority's own certificate, in PEM. */
  certificate: string;
  /** A certificate that it signs for these names, as `DNS:localhost` or `IP:127.0.0.1`; valid for so many days. */
  sign(names: string, days?: number): Certificate;
  remove(): void;
}

let made = 0;

/** An authority of the tests' own, which nobody trusts who was not told to. */
export function makeAuthority(): Authority {
  const home = mkdtempSync(join(tmpdir(), 'avendel-certificates-'));
  const at = (name: string): string => join(home, name);
  const openssl = (...args: string[]): void => void execFileSync('openssl', args, { stdio: 'ignore' });
  const key = ['-newkey', 'ec', '-pkeyopt', 'ec_paramgen_curve:prime256v1', '-nodes'];
  openssl('req', '-x509', ...key, '-keyout', at('ca.key'), '-out', at('ca.pem'), '-days', '30', '-subj', '/CN=tests');
  return {
    certificate: readFileSync(at('ca.pem'), 'utf8'),
    sign(names, days = 30) {
      const name = `server${(made += 1)}`;
      const files = { certificate: at(`${name}.pem`), key: at(`${name}.key`) };
      openssl('req', ...key, '-keyout', files.key, '-out', at(`${name}.csr`), '-subj', '/CN=relay');
      writeFileSync(at(`${name}.cnf`), `subjectAltName=${names}\n`);
      const ca = ['-CA', at('ca.pem'), '-CAkey', at('ca.key'), '-CAcreateserial', '-extfile', at(`${name}.cnf`)];
      openssl('x509', '-req', '-in', at(`${name}.csr`), ...ca, '-out', files.certificate, '-days', String(days));
      return {
        files,
        certificate: readFileSync(files.certificate, 'utf8'),
        key: readFileSync(files.key, 'utf8'),
      };
    },
    remove: () => rmSync(home, { recursive: true, force: true }),
  };
}
