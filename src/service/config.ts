import { readFileSync } from 'node:fs';
import Joi from 'joi';
import { passwordProblem } from '../core/access/password.ts';
import { readSecretKeys } from '../core/access/seal.ts';

/** All settings of the service, read once at start. */
export interface Config {
  databaseUrl: string;
  consoleHost: string;
  consolePort: number;
  publicHost: string;
  publicPort: number;
  publicUrl: string;
  /** Peers whose X-Forwarded-For header is believed. */
  proxies: string[];
  intakeHost: string;
  intakePort: number;
  /** Peers that say who is behind them before the session, by the PROXY protocol. */
  intakeProxies: string[];
  relayUrl: string;
  relayConnections: number;
  /** Folder of the files that hold passwords of relays. */
  secretsFolder: string | undefined;
  retrySeconds: number;
  /** Resolver to ask whether domains take mail, as `127.0.0.1:53`; undefined asks nobody. */
  resolver: string | undefined;
  /** Where browsers find the console. */
  consoleUrl: string;
  /** Further names by which the console is reached. */
  consoleHosts: string[];
  /** Keys that secrets are encrypted with, the first of them; empty where none is set. */
  secretKeys: Buffer[];
  adminEmail: string;
  adminName: string;
  adminPassword: string | undefined;
  rulesCron: string;
  logLevel: string;
  /** Each answer of the API is held against its contract: for development and tests. */
  checksAnswers: boolean;
}

const port = (standard: number): Joi.NumberSchema => Joi.number().port().default(standard);

/** Addresses of the network, with commas between. */
const addresses = (standard: string): Joi.StringSchema =>
  Joi.string()
    .allow('')
    .default(standard)
    .custom(
      (text: string) => (
        splitList(text).forEach((one) => Joi.assert(one, Joi.string().ip({ cidr: 'forbidden' }))),
        text
      ),
    );

const SCHEMA = Joi.object({
  AVENDEL_DATABASE_URL: Joi.string()
    .uri({ scheme: ['postgres', 'postgresql'] })
    .required(),
  AVENDEL_CONSOLE_HOST: Joi.string().default('127.0.0.1'),
  AVENDEL_CONSOLE_PORT: port(7400),
  AVENDEL_CONSOLE_URL: Joi.string().uri({ scheme: ['http', 'https'] }),
  AVENDEL_CONSOLE_HOSTS: Joi.string().allow('').default(''),
  AVENDEL_PUBLIC_HOST: Joi.string().default('127.0.0.1'),
  AVENDEL_PUBLIC_PORT: port(7401),
  AVENDEL_PUBLIC_URL: Joi.string().uri({ scheme: ['http', 'https'] }),
  AVENDEL_PROXIES: addresses('127.0.0.1,::1'),
  AVENDEL_INTAKE_HOST: Joi.string().default('127.0.0.1'),
  AVENDEL_INTAKE_PORT: port(7425),
  AVENDEL_INTAKE_PROXIES: addresses(''),
  AVENDEL_RELAY_URL: Joi.string()
    .uri({ scheme: ['smtp', 'smtps'] })
    .default('smtp://127.0.0.1:7426'),
  AVENDEL_RELAY_CONNECTIONS: Joi.number().integer().min(1).max(100).default(8),
  AVENDEL_SECRETS_DIR: Joi.string(),
  AVENDEL_RETRY_SECONDS: Joi.number().min(0).default(60),
  AVENDEL_RESOLVER: Joi.string().pattern(
    /^(\d+(\.\d+){3}|\[[0-9a-f:]+\])(:\d+)?$/i,
    'an address of the network, as 127.0.0.1:53',
  ),
  AVENDEL_ADMIN_EMAIL: Joi.string().default('admin@larkfield.example'),
  AVENDEL_ADMIN_NAME: Joi.string().trim().min(1).max(100),
  AVENDEL_ADMIN_PASSWORD: Joi.string(),
  AVENDEL_SECRET_KEY: Joi.string(),
  AVENDEL_SECRET_KEY_FILE: Joi.string(),
  AVENDEL_RULES_CRON: Joi.string().default('15 3 * * *'),
  AVENDEL_LOG_LEVEL: Joi.string().valid('silent', 'error', 'warn', 'info', 'debug').default('info'),
  AVENDEL_CHECK_ANSWERS: Joi.string().valid('yes', 'no').default('no'),
});

function splitList(text: string): string[] {
  return text
    .split(',')
    .map((one) => one.trim())
    .filter((one) => one !== '');
}

/** Settings whose value no message shows: the address of a server may hold its password. */
const SECRET = /PASSWORD|SECRET|_URL$/;

/** Reads the settings. @throws an error that names each variable, what it got and what it wants */
export function readConfig(environment: NodeJS.ProcessEnv): Config {
  const given = Object.fromEntries(Object.entries(environment).filter(([name]) => name.startsWith('AVENDEL_')));
  const { value, error } = SCHEMA.validate(given, { abortEarly: false, allowUnknown: true }) as {
    value: Record<string, never>;
    error?: Joi.ValidationError;
  };
  if (error) {
    const lines = error.details.map((detail) => {
      const name = String(detail.path[0]);
      const got =
        detail.context?.value === undefined
          ? 'it is not set'
          : SECRET.test(name)
            ? 'what it is, is not shown'
            : `it is “${String(detail.context.value)}”`;
      return `  ${detail.path.join('.')}: ${detail.message.replace(/^"[^"]*" /, '')}; ${got}`;
    });
    throw new Error(`These settings cannot be used:\n${lines.join('\n')}`);
  }
  const adminEmail = String(value['AVENDEL_ADMIN_EMAIL']).toLowerCase();
  const adminName = (value['AVENDEL_ADMIN_NAME'] as string | undefined) ?? adminEmail.split('@')[0]!;
  checkAdminPassword(value['AVENDEL_ADMIN_PASSWORD'], { email: adminEmail, name: adminName });
  return {
    databaseUrl: value['AVENDEL_DATABASE_URL']!,
    consoleHost: value['AVENDEL_CONSOLE_HOST']!,
    consolePort: value['AVENDEL_CONSOLE_PORT']!,
    publicHost: value['AVENDEL_PUBLIC_HOST']!,
    publicPort: value['AVENDEL_PUBLIC_PORT']!,
    publicUrl: (
      (value['AVENDEL_PUBLIC_URL'] as string | undefined) ??
      `http://${String(value['AVENDEL_PUBLIC_HOST'])}:${String(value['AVENDEL_PUBLIC_PORT'])}`
    ).replace(/\/$/, ''),
    proxies: splitList(value['AVENDEL_PROXIES']!),
    intakeHost: value['AVENDEL_INTAKE_HOST']!,
    intakePort: value['AVENDEL_INTAKE_PORT']!,
    intakeProxies: splitList(value['AVENDEL_INTAKE_PROXIES']!),
    relayUrl: value['AVENDEL_RELAY_URL']!,
    relayConnections: value['AVENDEL_RELAY_CONNECTIONS']!,
    secretsFolder: value['AVENDEL_SECRETS_DIR'],
    retrySeconds: value['AVENDEL_RETRY_SECONDS']!,
    resolver: value['AVENDEL_RESOLVER'],
    consoleUrl: originOf(
      (value['AVENDEL_CONSOLE_URL'] as string | undefined) ??
        `http://${String(value['AVENDEL_CONSOLE_HOST'])}:${String(value['AVENDEL_CONSOLE_PORT'])}`,
    ),
    consoleHosts: splitList(value['AVENDEL_CONSOLE_HOSTS']!),
    secretKeys: readKeys(value),
    adminEmail,
    adminName,
    adminPassword: value['AVENDEL_ADMIN_PASSWORD'],
    rulesCron: value['AVENDEL_RULES_CRON']!,
    logLevel: value['AVENDEL_LOG_LEVEL']!,
    checksAnswers: value['AVENDEL_CHECK_ANSWERS'] === ('yes' as never),
  };
}

function checkAdminPassword(password: string | undefined, of: { email: string; name: string }): void {
  const problem = password === undefined ? undefined : passwordProblem(password, of);
  if (problem !== undefined) throw new Error(`These settings cannot be used:\n  AVENDEL_ADMIN_PASSWORD: ${problem}`);
}

function originOf(url: string): string {
  return new URL(url).origin;
}

/** @throws an error that says which setting is wrong, without what is in it */
function readKeys(value: Record<string, string>): Buffer[] {
  const path = value['AVENDEL_SECRET_KEY_FILE'];
  const setting = path === undefined ? 'AVENDEL_SECRET_KEY' : 'AVENDEL_SECRET_KEY_FILE';
  try {
    const text = path === undefined ? value['AVENDEL_SECRET_KEY'] : readFileSync(path, 'utf8');
    return text === undefined ? [] : readSecretKeys(text);
  } catch (error) {
    throw new Error(`These settings cannot be used:\n  ${setting}: ${(error as Error).message}`, { cause: error });
  }
}
