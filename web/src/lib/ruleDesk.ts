import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref, type Ref } from 'vue'
import { usePreview } from './preview'

/**
 * A desk where rules are made and ended: both show what they change before. Without a body the rule is not finished
 * yet.
 */
export function useRuleDesk<B, E>(
  name: string,
  body: Ref<B | undefined>,
  calls: {
    preview: (body: B) => Promise<E>
    previewEnd: (id: number) => Promise<E>
    save: (body: B) => Promise<unknown>
    end: (id: number) => Promise<unknown>
  },
  saved: () => void,
) {
  const client = useQueryClient()
  const { effect, failed } = usePreview(name, body, calls.preview)
  const ending = ref(0)
  const endId = computed(() => ending.value || undefined)
  const { effect: endEffect, failed: endFailed } = usePreview(`${name}-end`, endId, calls.previewEnd)
  const says = ref('')
  async function run(what: () => Promise<unknown>, done: () => void) {
    says.value = ''
    try {
      await what()
      done()
      await client.invalidateQueries()
    } catch (e) {
      says.value = (e as Error).message
    }
  }
  async function save() {
    if (body.value === undefined || !effect.value) return
    const now = body.value
    await run(() => calls.save(now), saved)
  }
  const end = () =>
    run(
      () => calls.end(ending.value),
      () => (ending.value = 0),
    )
  const askEnd = (id: number) => (ending.value = ending.value === id ? 0 : id)
  return { effect, failed, ending, endEffect, endFailed, askEnd, says, save, end }
}
