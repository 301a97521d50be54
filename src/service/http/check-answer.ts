import type Joi from 'joi';
import { Problem } from '../../operations/problem.ts';
import { COMMON_PROBLEMS, type Contract } from '../../shared/contract/contract.ts';

/**
 * Holds an answer against its contract, as it is said: as JSON. For development and tests, where
 * AVENDEL_CHECK_ANSWERS=yes; a difference is a fault of ours.
 * @throws Error that names the route and each difference
 */
export function checkAnswer({ method, path, answer, status }: Contract, given: unknown): void {
  // What was answered with nothing is kept under an Idempotency-Key as null.
  const said: unknown = given === undefined || given === null ? undefined : JSON.parse(JSON.stringify(given));
  const differences = answer === undefined ? differencesOfNone(said, status) : differencesFrom(answer, said);
  if (differences.length > 0)
    throw new Error(
      `the answer of ${method.toUpperCase()} ${path} is not as its contract says: ${differences.join('; ')}`,
    );
}

/** Says whether a refusal is one that the contract speaks of. @throws Error where it is not */
export function checkRefusal({ method, path, problems = [] }: Contract, error: unknown): void {
  if (error instanceof Problem && ![...COMMON_PROBLEMS, ...problems].includes(error.code))
    throw new Error(`${method.toUpperCase()} ${path} refuses with ${error.code}, of which its contract says nothing`);
}

function differencesOfNone(said: unknown, status: Contract['status']): string[] {
  if (status !== 204) return ['there is neither an answer nor a file in it'];
  return said === undefined ? [] : ['there is an answer, where it has none'];
}

function differencesFrom(answer: Joi.Schema, said: unknown): string[] {
  if (said === undefined) return ['there is none'];
  const { error } = answer.validate(said, { abortEarly: false, convert: false }) as { error?: Joi.ValidationError };
  return (error?.details ?? []).map(({ path, message }) => `${path.join('.')} (${message.replaceAll('"', '')})`);
}
