import { readdirSync } from 'node:fs';
import type { MigrationInterface } from 'typeorm';

const FOLDER = new URL('./migrations/', import.meta.url);

/** What brings the schema up to this version, in order: each file of the folder, by its number. */
export const MIGRATIONS = await Promise.all(
  readdirSync(FOLDER)
    .filter((file) => /^\d{4}-.*(?<!\.d)\.[jt]s$/.test(file))
    .sort()
    .map(async (file) => {
      const made = (await import(new URL(file, FOLDER).href)) as Record<string, new () => MigrationInterface>;
      return Object.values(made)[0]!;
    }),
);
