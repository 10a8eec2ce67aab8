import { z } from 'zod'

// A made-up harbour, as an application of its own would have it.
export const Session = z.object({ id: z.string(), roles: z.array(z.enum(['master', 'pilot'])) })
export const Ship = z.object({
  id: z.string(),
  ownerId: z.string().nullable(),
  pilotIds: z.array(z.string()),
  state: z.enum(['moored', 'at sea']),
  draught: z.number(),
  builtAt: z.date().optional(),
  hull: z.object({ material: z.string(), plates: z.array(z.object({ number: z.int(), patched: z.boolean() })) }),
  papers: z.unknown().optional(),
})
export const Berth = z.object({ id: z.string(), shipId: z.string().nullable(), quay: z.string(), until: z.iso.datetime().optional() })
export const Person = z.object({ id: z.string(), harbourIds: z.array(z.string()), banned: z.boolean().optional() })
