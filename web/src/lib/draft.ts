import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch, type Ref } from 'vue'
import { Problem, type Conflict } from '../api/client'
import { useHere } from './here'
import { useSession } from './session'

const copy = <T>(v: T): T => JSON.parse(JSON.stringify(v)) as T
const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b)

/** What is kept of a draft while its page is away. */
interface Kept<T> {
  base: T
  draft: T
}

/** The fields in which a draft is otherwise than before. */
function typedSince<T extends object>(before: T, now: T): Partial<T> {
  const fields = (Object.keys(now) as (keyof T)[]).filter((f) => !same(before[f], now[f]))
  return Object.fromEntries(fields.map((f) => [f, now[f]])) as Partial<T>
}

/**
 * A draft of one thing: what somebody types into a form. Nothing that comes from elsewhere replaces it (a renewal, a
 * colleague, a refetch); it knows the revision that it began with, survives a reload, a session that ends and a server
 * that is away, and comes again where its page is opened again.
 *
 * @param key of the thing, such as group:7 or group:new; empty where none is open
 * @param stored the thing as the server has it, as a draft that changes nothing
 * @param fieldsOf the fields of a draft, where they are a part of it
 */
export function useDraft<T extends { revision: number }>(
  key: () => string,
  stored: () => T | undefined,
  fieldsOf: (draft: T) => object = (d) => d,
) {
  const { me } = useSession()
  const client = useQueryClient()
  const draft = ref() as Ref<T | undefined>
  const base = ref() as Ref<T | undefined>
  const other = ref<Conflict>()
  const kept = ref(false)
  const busy = ref(false)
  const says = ref('')
  const dirty = computed(() => !!draft.value && !same(draft.value, base.value))
  const others = useHere(
    () => (/:new$/.test(key()) ? '' : key()),
    () => dirty.value,
  )
  // a draft belongs to who typed it: whoever signs in after him in the same window does not see it
  const place = () => (key() && me.value?.name ? `ensomet-draft:${me.value.name}:${key()}` : '')
  let shown = ''
  let last = ''
  // what a save has made a new thing of, until the thing can be read: what is typed meanwhile is not lost
  let made: T | undefined

  function begin() {
    shown = place()
    says.value = last // what a save said stays, though it has given the thing a number
    last = ''
    other.value = undefined
    kept.value = false
    if (made && shown && !shown.endsWith(':new')) {
      follow()
      return
    }
    made = undefined
    base.value = draft.value = undefined
    const text = shown && sessionStorage.getItem(shown)
    if (text) {
      const before = JSON.parse(text) as Kept<T>
      base.value = before.base
      draft.value = before.draft
      kept.value = true
    } else follow()
  }
  /** What nobody has typed into follows the server. */
  function follow() {
    const now = shown ? stored() : undefined
    if (now && made && draft.value && !shown.endsWith(':new')) {
      const typed = typedSince(made, draft.value)
      made = undefined
      base.value = copy(now)
      draft.value = { ...copy(now), ...copy(typed) }
    } else if (now && !made && !dirty.value) {
      base.value = copy(now)
      draft.value = copy(now)
    }
  }
  watch(place, begin, { immediate: true })
  watch(stored, follow)
  watch(
    [draft, base],
    () => {
      if (!shown || made) return
      if (dirty.value) last = ''
      if (dirty.value) sessionStorage.setItem(shown, JSON.stringify({ base: base.value, draft: draft.value }))
      else sessionStorage.removeItem(shown)
    },
    { deep: true },
  )

  /** Throws away what was typed. */
  function discard() {
    other.value = undefined
    kept.value = false
    made = undefined
    base.value = draft.value
    if (shown) sessionStorage.removeItem(shown)
    begin()
  }
  /** Says that the server has taken what was sent: what is not typed since follows the server again. */
  function saved(place: string, sent: T) {
    sessionStorage.removeItem(place)
    if (shown !== place || !draft.value) return // another is open meanwhile
    other.value = undefined
    kept.value = false
    if (place.endsWith(':new')) made = sent
    else draft.value.revision = sent.revision + 1 // the one that this save made
    base.value = { ...sent, revision: draft.value.revision }
  }
  /** Says what became of a save that failed, in words; where somebody else changed the thing, both can be looked at. */
  function failed(e: unknown): string {
    if (e instanceof Problem && e.conflict) {
      other.value = e.conflict
      return ''
    }
    return (e as Error).message
  }
  /** Takes what the other wrote in some fields, and goes on from the revision that he made. */
  function settle(theirs: string[]) {
    const now = stored()
    if (!draft.value || !other.value || !now) return
    const into = fieldsOf(draft.value) as Record<string, unknown>
    const from = fieldsOf(now) as Record<string, unknown>
    for (const field of theirs) into[field] = copy(from[field])
    draft.value.revision = other.value.revision
    base.value = { ...copy(now), revision: other.value.revision }
    other.value = undefined
  }
  /** Saves the draft, once at a time. What it says stands in says. It reports whether the server has taken it. */
  async function save(call: (body: T) => Promise<unknown>, done = ''): Promise<boolean> {
    if (busy.value || !draft.value) return false
    busy.value = true
    says.value = ''
    const sent = copy(draft.value)
    const at = shown
    try {
      await call(sent)
      saved(at, sent)
      says.value = last = done
      return true
    } catch (e) {
      says.value = failed(e)
      return false
    } finally {
      busy.value = false
      void client.invalidateQueries()
    }
  }
  return { draft, base, dirty, kept, other, others, busy, says, discard, save, settle }
}
