import type { Schemas } from '../api/client'

/** The kinds of cases in words, in the order of the worklist. */
export const kinds: Record<string, string> = {
  restricted: 'restricted',
  hours: 'forbidden hours',
  missing: 'required, missing',
  uncovered: 'not covered',
  overkey: 'key used too often',
  unbought: 'keys not booked',
  leaver: 'leaver’s seat',
  idle: 'idle licence',
  pool: 'idle pool',
  denied: 'pool denies',
  ended: 'support ends',
  planned: 'planned removal',
  purchase: 'to be bought',
  elsewhere: 'elsewhere',
}

/** Kinds whose amount is what is missing, not what is gained. */
export const costs = (kind: string) => kind === 'uncovered' || kind === 'denied'

/** The states with their mark; what differs by kind is said by stateWord. */
export const marks: Record<string, string> = {
  open: '◇',
  asked: '✉',
  answered: '✎',
  silent: '…',
  agreed: '◆',
  approved: '◈',
  waiting: '◷',
  sent: '➤',
  failed: '✕',
  gone: '✓',
  kept: '‖',
  lapsed: '–',
}

const done: Record<string, string> = {
  missing: 'arrived',
  uncovered: 'covered',
  leaver: 'handed back',
  pool: 'given back',
  denied: 'no more denied',
  overkey: 'settled',
  unbought: 'settled',
}

/** The states of what somebody asked for, and of what it is to end, in their own words. */
const wanted: Record<string, Record<string, string>> = {
  purchase: { open: 'wanted', sent: 'ordered', gone: 'booked', lapsed: 'dropped' },
  uncovered: { agreed: 'seen to', gone: 'covered' },
  overkey: { agreed: 'seen to', gone: 'settled' },
  unbought: { agreed: 'seen to', gone: 'settled' },
  elsewhere: { open: 'to do', agreed: 'seen to', gone: 'done', lapsed: 'dropped' },
}

/** A state in words; what is done is called by what was done. */
export function stateWord(kind: string, state: string): string {
  if (wanted[kind]) return wanted[kind][state] ?? state
  return state === 'gone' ? (done[kind] ?? 'gone') : state
}

/** What people may do, and how its button is called for a kind. */
export const acts: { act: Schemas['CaseAction']['act']; label: (kind: string) => string; opens?: boolean }[] = [
  { act: 'ask', label: () => 'Ask the user…', opens: true },
  {
    act: 'agree',
    label: (k) =>
      k === 'missing'
        ? 'Agree to install'
        : k === 'pool'
          ? 'Agree to give back'
          : k === 'leaver'
            ? 'Agree to take back'
            : ['uncovered', 'elsewhere', 'denied', 'overkey', 'unbought'].includes(k)
              ? 'See to it'
              : 'Agree to remove',
  },
  { act: 'approve', label: (k) => (k === 'purchase' ? 'Approve the purchase' : 'Approve as second person') },
  { act: 'send', label: () => 'Send to deployment…', opens: true },
  { act: 'order', label: () => 'It is ordered…', opens: true },
  { act: 'keep', label: () => 'Leave as it is…', opens: true },
  { act: 'drop', label: () => 'Not wanted any more…', opens: true },
  { act: 'reopen', label: (k) => (wanted[k]?.open ? `Back to “${wanted[k].open}”` : 'Back to open') },
]
