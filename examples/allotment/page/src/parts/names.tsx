// Names for keys: of members, sites, teams and plots, as far as the person sees them.
import { createContext, type ReactNode, useContext, useMemo } from 'react'
import { type Seen, useRecords } from '../records.js'

interface Option {
  readonly value: string
  readonly label: string
}

interface Names {
  readonly member: (id: string | null | undefined) => string
  readonly site: (id: string | undefined) => string
  readonly team: (id: string | undefined) => string
  readonly plot: (id: string | undefined) => string
  readonly members: readonly Option[]
  readonly sites: readonly Option[]
  readonly teams: readonly Option[]
  readonly plots: readonly Option[]
  /** The person's own record. */
  readonly self: (id: string | undefined) => Seen<'member'> | undefined
}

const Context = createContext<Names | undefined>(undefined)

export function NamesProvider({ children }: { readonly children: ReactNode }) {
  const { records: members } = useRecords('member')
  const { records: sites } = useRecords('site')
  const { records: teams } = useRecords('team')
  const { records: plots } = useRecords('plot')
  const names = useMemo((): Names => {
    const label = <T extends { id: string }>(records: readonly { record: T }[], of: (record: T) => string | undefined) =>
      records
        .map(({ record }) => ({ value: record.id, label: of(record) ?? record.id }))
        .sort((a, b) => a.label.localeCompare(b.label, 'en', { numeric: true }))
    const lists = {
      members: label(members, ({ name }) => name),
      sites: label(sites, ({ name }) => name),
      teams: label(teams, ({ name }) => name),
      plots: label(plots, ({ number }) => `Plot ${number}`),
    }
    const finder = (options: readonly Option[], otherwise: string) => {
      const found = new Map(options.map(({ value, label }) => [value, label]))
      return (id: string | null | undefined) => (id === undefined || id === null ? otherwise : (found.get(id) ?? otherwise))
    }
    return {
      ...lists,
      // The names of members that you may not see are not shown.
      member: finder(lists.members, 'a member'),
      site: finder(lists.sites, 'a site'),
      team: finder(lists.teams, 'a team'),
      plot: finder(lists.plots, 'a plot'),
      self: (id) => members.find(({ record }) => record.id === id)?.record,
    }
  }, [members, sites, teams, plots])
  return <Context.Provider value={names}>{children}</Context.Provider>
}

export function useNames(): Names {
  const names = useContext(Context)
  if (names === undefined) throw new Error('useNames needs a <NamesProvider> around it')
  return names
}
