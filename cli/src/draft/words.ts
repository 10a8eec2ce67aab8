// Words in the names of tables and columns, in camelCase.

/** Tables of people, by how likely each is. */
export const PEOPLE: readonly (readonly [RegExp, number])[] = [
  [/^(app|auth|site)?(user|account)s?$/i, 5],
  [/^(member|person|people|login|principal|profile)$/i, 4],
  [/^(employee|staff|customer|client|contact|worker|participant)$/i, 3],
]

export const EMAIL = /^(e?mail|e?mailAddress|loginE?mail|userE?mail)$/i
export const PASSWORD = /(password|passwd|pwd)/i
export const SECRET =
  /(password|passwd|pwd|secret|token|salt$|hash$|apiKey|privateKey|ssn|socialSecurity|nationalId|iban|cardNumber|cvv|^pin$|pinCode|salary|wage|payRate|hourlyRate|costPrice|purchasePrice|internalNote|privateNote|staffNote|recoveryCode|otp$|passwordHash)/i

export const AUDIT =
  /^(updated|modified|changed|edited|deleted|removed|archived|cancell?ed|locked|closed|verified|approved|rejected|confirmed)(By|ById)/i
export const AUTHOR =
  /^(author|creator|created|writer|written|poster|posted|submitter|submitted|reporter|reported|uploader|uploaded|sender|sent|from|opener|opened|requester|requested|raised|initiator|invited|inviter|granted|granter)|By(Id|User|Account)?$/i
export const ASSIGNEE =
  /^(assign|handler|handled|agent|responsible|reviewer|approver|doctor|physician|nurse|therapist|clinician|practitioner|teacher|trainer|coach|lead|head|manager|supervisor|mentor|tutor|technician|driver|courier|editor|curator|custodian|keeper|inspector|caretaker|delegate|deputy|substitute|recipient|receiver|to(Id|User|Account|Member)?$)/i

/** Fields that hold a person, where no foreign key says so. */
export const PERSON =
  /^(owner|holder|user|member|account|customer|author|creator|created|written|assignee|assigned|reviewer|recipient|sender|leader|manager|helper|participant)/i

export const PUBLISHED = /^(is)?(published|public|listed)$/i
export const PUBLISHED_AT = /^(published|released)(At|On)$/i
export const VISIBILITY = /^(visibility|audience|access|privacy|scope|state|status)$/i
export const PUBLIC_LABEL = /^(public|published|everyone)$/i
export const STATE = /^(state|status|phase|stage)$/i
export const REMOVED_AT = /^(deleted|removed|trashed)(At|On|Time)$/i
export const REMOVED_FLAG = /^(is)?(deleted|removed|trashed)$/i

/** Tables that give people access to records. */
export const SHARE =
  /(share|sharing|grant|access|permission|collaborator|invite|invitation|delegation|guardianship|follower|watcher|participant|attendee|helper|viewer|editor|member|membership|assignment|enrol?ment)/i
export const LEVEL = /^(level|access|accessLevel|permission|role|right|scope|canEdit|canRead|canWrite|mode)$/i
export const EXPIRY = /^(until|expires|expiresAt|expiresOn|expiry|endsAt|endsOn|endedAt|validUntil|validTo|revokedAt)$/i

export const TENANT =
  /^(tenant|org|organi[sz]ation|company|workspace|school|clinic|practice|shop|store|team|club|association|firm|agency|customerAccount|site|department|branch|instance|realm|hospital)$/i
