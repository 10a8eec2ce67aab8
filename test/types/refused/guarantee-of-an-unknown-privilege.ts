// The compiler says: Type '() => { never: "print"; }[]' is not assignable to type
import { draft } from '../draft.js'

export const refused = draft.privileges({ export: ({ signedIn }) => [signedIn] }).guarantees({}, { privileges: () => [{ never: 'print' }] })
