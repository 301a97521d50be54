import DKIM from 'nodemailer/lib/dkim/index.js';
import type { DkimSigner } from '../../core/message/dkim.ts';

/**
 * What is signed: RFC 6376 section 5.4.1, and with it the header of one-click unsubscribing, which RFC 8058 section 4
 * asks for. Fields that a message does not have are left out.
 */
const SIGNED_FIELDS = [
  'From',
  'Reply-To',
  'Subject',
  'Date',
  'Message-ID',
  'To',
  'MIME-Version',
  'Content-Type',
  'Content-Transfer-Encoding',
  'Auto-Submitted',
  'List-Id',
  'List-Unsubscribe',
  'List-Unsubscribe-Post',
].join(':');

/**
 * A message with a signature of each key (RFC 6376, rsa-sha256, relaxed/relaxed), made by nodemailer.
 * @throws Error when one of them is missing in the end: it does not leave half signed
 */
export async function signMessage(raw: Buffer, keys: readonly DkimSigner[]): Promise<Buffer> {
  if (keys.length === 0) return raw;
  const signer = new DKIM({
    keys: keys.map(({ domain, selector, privateKey }) => ({
      domainName: domain,
      keySelector: selector,
      // It hands the key on to node:crypto, which reads a key object at once, and PEM each time anew.
      privateKey: privateKey as unknown as string,
    })),
    headerFieldNames: SIGNED_FIELDS,
  });
  const chunks: Buffer[] = [];
  for await (const chunk of signer.sign(raw)) chunks.push(chunk as Buffer);
  const signed = Buffer.concat(chunks);
  const signatures = signed
    .subarray(0, signed.length - raw.length)
    .toString('latin1')
    .match(/^DKIM-Signature:/gm);
  if (signatures?.length !== keys.length) throw new Error('a message could not be signed');
  return signed;
}
