import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useDraft } from './draft'
import { refusal } from './act'
import { usePreview } from './preview'

/**
 * A desk where rules are made, changed and ended: each shows what it changes before. Which rule is open stands in the
 * address; what is typed into it is a draft.
 */
export function useRuleDesk<D extends { id: number; revision: number }, B, E>(
  name: string,
  rules: {
    /** whether somebody may change them */
    open: () => boolean
    /** the rules in force as drafts that change nothing */
    stored: () => D[] | undefined
    blank: () => D
    /** what is sent; nothing where the rule is not finished yet */
    body: (draft: D) => B | undefined
    preview: (body: B) => Promise<E>
    previewEnd: (id: number) => Promise<E>
    save: (body: B) => Promise<unknown>
    end: (id: number, revision: number) => Promise<unknown>
  },
) {
  const client = useQueryClient()
  const route = useRoute()
  const router = useRouter()
  const chosen = computed(() => String(route.query.edit ?? 'new'))
  function edit(id: number) {
    ending.value = 0
    void router.replace({ query: { ...route.query, edit: id ? String(id) : undefined } })
  }
  const stored = () =>
    chosen.value === 'new' ? rules.blank() : rules.stored()?.find((r) => String(r.id) === chosen.value)
  const form = useDraft<D>(() => (rules.open() ? `${name}:${chosen.value}` : ''), stored)
  const body = computed(() => (form.draft.value ? rules.body(form.draft.value) : undefined))
  const { effect, failed } = usePreview(name, body, rules.preview)

  async function save() {
    const now = body.value
    if (now === undefined || !effect.value) return
    if (await form.save(() => rules.save(now), 'It is set.')) {
      if (chosen.value === 'new') form.discard()
      else edit(0)
    }
  }
  /** Keeps what is chosen of two changes, and saves it. */
  async function keep(theirs: string[]) {
    form.settle(theirs)
    const now = body.value
    if (now !== undefined && (await form.save(() => rules.save(now), 'It is set.'))) edit(0)
  }
  function leave() {
    form.discard()
    edit(0)
  }

  const ending = ref(0)
  const endId = computed(() => ending.value || undefined)
  const { effect: endEffect, failed: endFailed } = usePreview(`${name}-end`, endId, rules.previewEnd)
  const endSays = ref('')
  const busy = ref(false)
  async function end() {
    const rule = rules.stored()?.find((r) => r.id === ending.value)
    if (!rule || busy.value) return
    endSays.value = ''
    busy.value = true
    try {
      await rules.end(rule.id, rule.revision)
      if (chosen.value === String(rule.id)) leave()
      ending.value = 0
    } catch (e) {
      endSays.value = refusal(e)
    } finally {
      busy.value = false
      await client.invalidateQueries()
    }
  }
  const askEnd = (id: number) => (ending.value = ending.value === id ? 0 : id)
  return {
    ...form,
    stored,
    chosen,
    edit,
    leave,
    body,
    effect,
    failed,
    save,
    keep,
    ending,
    endEffect,
    endFailed,
    endSays,
    askEnd,
    end,
  }
}

/** What the form of a rule shows of its desk. */
export const formOf = <D extends { id: number; revision: number }, B, E>(
  d: ReturnType<typeof useRuleDesk<D, B, E>>,
) => ({
  ready: d.body.value !== undefined,
  known: d.effect.value !== undefined,
  failed: d.failed.value,
  draft: d.draft.value!,
  base: d.base.value,
  stored: d.stored(),
  other: d.other.value,
  kept: d.kept.value,
  dirty: d.dirty.value,
  others: d.others.value,
  busy: d.busy.value,
})
