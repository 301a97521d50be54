import { createCipheriv, createDecipheriv, createHash, randomBytes } from 'node:crypto';

/** Keeps secrets unreadable for whoever has the database and not the key. */
export interface Secrets {
  /** `purpose` says what the secret is for and where: sealed for one, it opens for no other. */
  seal(secret: Buffer, purpose: string): Buffer;
  /** Nothing when it was sealed with a key that is not among these, for another purpose, or was changed. */
  open(sealed: Buffer, purpose: string): Buffer | undefined;
  /** Whether it was sealed with another than the first key. */
  isOld(sealed: Buffer): boolean;
}

const KEY_BYTES = 32;
const FORM = 1;
const [ID_BYTES, IV_BYTES, TAG_BYTES] = [4, 12, 16];
const HEAD_BYTES = 1 + ID_BYTES;

/**
 * Reads keys, one a line, each 32 bytes in base64 or hex: the first seals, all open, so a new one is put before the
 * old.
 * @throws Error that says what is wrong, without the key
 */
export function readSecretKeys(text: string): Buffer[] {
  const lines = text.split(/\s+/).filter((line) => line !== '');
  if (lines.length === 0) throw new Error('there is no key in it');
  return lines.map((line, index) => {
    const key = /^[0-9a-f]{64}$/i.test(line) ? Buffer.from(line, 'hex') : Buffer.from(line, 'base64');
    if (key.length !== KEY_BYTES)
      throw new Error(
        `key ${index + 1} has ${key.length} bytes and not ${KEY_BYTES}; make one with: head -c 32 /dev/urandom | base64`,
      );
    return key;
  });
}

/**
 * AES-256 in GCM (NIST SP 800-38D): one byte for the form, four that tell the key, the vector, the tag, and the secret.
 */
export function makeSecrets(keys: readonly Buffer[]): Secrets {
  const byId = new Map(keys.map((key) => [idOf(key), key]));
  const current = keys[0]!;
  const keyIdIn = (sealed: Buffer): string => sealed.subarray(1, HEAD_BYTES).toString('hex');
  return {
    seal(secret, purpose) {
      const head = Buffer.concat([Buffer.from([FORM]), Buffer.from(idOf(current), 'hex')]);
      const vector = randomBytes(IV_BYTES);
      const cipher = createCipheriv('aes-256-gcm', current, vector).setAAD(Buffer.concat([head, Buffer.from(purpose)]));
      const body = Buffer.concat([cipher.update(secret), cipher.final()]);
      return Buffer.concat([head, vector, cipher.getAuthTag(), body]);
    },
    open(sealed, purpose) {
      const key = byId.get(keyIdIn(sealed));
      if (sealed[0] !== FORM || !key || sealed.length < HEAD_BYTES + IV_BYTES + TAG_BYTES) return undefined;
      const [vector, rest] = [
        sealed.subarray(HEAD_BYTES, HEAD_BYTES + IV_BYTES),
        sealed.subarray(HEAD_BYTES + IV_BYTES),
      ];
      const decipher = createDecipheriv('aes-256-gcm', key, vector)
        .setAAD(Buffer.concat([sealed.subarray(0, HEAD_BYTES), Buffer.from(purpose)]))
        .setAuthTag(rest.subarray(0, TAG_BYTES));
      try {
        return Buffer.concat([decipher.update(rest.subarray(TAG_BYTES)), decipher.final()]);
      } catch {
        return undefined;
      }
    },
    isOld: (sealed) => keyIdIn(sealed) !== idOf(current),
  };
}

/** Tells keys apart, and says nothing of them. */
function idOf(key: Buffer): string {
  return createHash('sha256').update('avendel secret key').update(key).digest().subarray(0, ID_BYTES).toString('hex');
}
