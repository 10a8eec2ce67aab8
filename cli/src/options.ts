// Options that several commands share.
import { Command, InvalidArgumentError, Option } from 'commander'

/** Receives the exit status of the command. */
export type End = (status: number) => void

export const collect = (value: string, before: readonly string[]) => [...before, value]
export const names = (value: string) =>
  value
    .split(',')
    .map((name) => name.trim())
    .filter(Boolean)

/** Wraps text at 110 characters. */
export function wrapped(text: string): string {
  return text.replace(/(.{1,110})(\s|$)/g, '$1\n').trimEnd()
}

export function wholeNumber(text: string): number {
  if (!/^\d+$/.test(text)) throw new InvalidArgumentError('it has to be a whole number from 0 on.')
  return Number(text)
}

export function command(name: string, summary: string): Command {
  return new Command(name)
    .description(summary)
    .option('--config <file>', 'the configuration file (default: the nearest pachter.config.ts)')
    .option('--at <time>', 'sets the time, as in 2026-06-15T09:00:00Z')
    .exitOverride()
}

export const live = () => new Option('--db <url>', 'reads the records from a database: postgres://, mysql:// or sqlite:file')
export const format = (choices: readonly string[]) =>
  new Option('--format <format>', 'the output format').choices([...choices]).default(choices[0])
export const onePerson = () =>
  new Option(
    '--for <person>',
    'the person: a name from the configuration, visitor, unknown or system; the key of their record, a search (name=Ines), or claims as JSON',
  ).makeOptionMandatory()
export const without = () =>
  new Option('--without <rule>', 'removes a clause or a veto, by its title or as in "update: warden"; may be repeated')
    .argParser(collect)
    .default([], 'none')
export const watching = () => new Option('--watch', 'asks again when rules or data change, and marks what changed, until Ctrl-C')
export const log = () => new Option('--log', 'writes the verdict log to standard error, as lines of JSON')
export const within = () => new Option('--within <routine>', 'within a routine, where more clauses may apply')
export const settings = (help: string) => new Option('--set <field=value>', help).argParser(collect).default([], 'none')

export const withhold = () =>
  new Option('--withhold <type.field>', 'a field that is hidden from everyone; may be repeated').argParser(collect).default([], 'none')
