import Joi from 'joi';
import { contract } from './contract.ts';
import { anyText, arrayOf, id, idParams, instant, text, type ById } from './parts.ts';
import type { DnsRecord } from './relay.ts';

/** A key with which the messages of a brand are signed. Its private half never leaves the service. */
export interface DkimKey {
  id: number;
  brandId: number;
  domain: string;
  selector: string;
  /** As it stands in the DNS: DER in base64. */
  publicKey: string;
  signs: boolean;
  createdAt: string;
  createdBy: string;
}

const dkimKeySchema = Joi.object<DkimKey, true>({
  id: Joi.number().required(),
  brandId: Joi.number().required(),
  domain: anyText.required(),
  selector: anyText.required(),
  publicKey: anyText.required(),
  signs: Joi.boolean().required(),
  createdAt: instant.required(),
  createdBy: anyText.required(),
});

const dnsRecordSchema = Joi.object<DnsRecord, true>({
  name: anyText.required(),
  type: Joi.string().valid('TXT', 'MX').required(),
  what: Joi.string().valid('DKIM', 'SPF', 'MX', 'DMARC').required(),
  signs: Joi.boolean().allow(null).required(),
  wanted: anyText.required(),
  purpose: anyText.required(),
  found: Joi.array().items(anyText).allow(null).required(),
  agrees: Joi.boolean().allow(null).required(),
});

/** Body of `POST /brands/:id/dkim-keys`. */
export interface NewDkimKey {
  selector: string;
  domain?: string;
  privateKey?: string;
}

/** Parameters of a route of one key. */
export interface ByKey extends ById {
  keyId: number;
}

const keyParams = Joi.object<ByKey, true>({ id: id.required(), keyId: id.required() });

/** Body of `PATCH /brands/:id/dkim-keys/:keyId`. */
export interface DkimKeyChange {
  signs: boolean;
}

/** Signing, and what the DNS has to say of a brand. */
export const dkim = {
  dkimKeys: contract({
    method: 'get',
    path: '/brands/:id/dkim-keys',
    summary: 'The keys with which messages of a brand are signed, without their private halves',
    params: idParams,
    answer: arrayOf(dkimKeySchema),
    problems: ['not-found'],
    example: { id: 1 },
  }),
  addDkimKey: contract({
    method: 'post',
    path: '/brands/:id/dkim-keys',
    summary: 'Give a brand a key to sign with, made here or given in PEM; nothing is signed with it yet',
    needs: 'administer',
    params: idParams,
    body: Joi.object<NewDkimKey, true>({
      selector: text(120).required().description('Its name in the DNS, as dec2026'),
      domain: text(253).description('The domain that answers for the messages; else that of the From address'),
      privateKey: text(20_000).description('An RSA key in PEM; else one of 2048 bits is made'),
    }),
    status: 201,
    answer: dkimKeySchema,
    problems: ['name-taken', 'not-found', 'wrong-state'],
    example: { id: 1, selector: 'dec2026' },
  }),
  signWithDkimKey: contract({
    method: 'patch',
    path: '/brands/:id/dkim-keys/:keyId',
    summary: 'Have messages of the brand signed with a key, or no longer',
    needs: 'administer',
    params: keyParams,
    body: Joi.object<DkimKeyChange, true>({ signs: Joi.boolean().required() }),
    answer: arrayOf(dkimKeySchema),
    problems: ['not-found'],
    example: { id: 1, keyId: 1, signs: true },
  }),
  removeDkimKey: contract({
    method: 'delete',
    path: '/brands/:id/dkim-keys/:keyId',
    summary: 'Remove a key for good; its selector is not used again',
    needs: 'administer',
    params: keyParams,
    status: 204,
    problems: ['not-found'],
    example: { id: 1, keyId: 1 },
  }),
  dnsRecords: contract({
    method: 'get',
    path: '/brands/:id/dns',
    summary: 'The records that the domains of a brand should have, and with a resolver what stands there',
    params: idParams,
    answer: arrayOf(dnsRecordSchema),
    problems: ['not-found'],
    example: { id: 1 },
  }),
};
