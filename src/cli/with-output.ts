import type { Command } from 'commander';

/** Adds the options with which a program asks for JSON. */
export function withOutput(command: Command): Command {
  return command.option('--json', 'print one JSON document').option('--jsonl', 'print one JSON record a line');
}
