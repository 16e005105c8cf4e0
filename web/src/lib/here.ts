import { useDocumentVisibility, useEventListener, useIntervalFn } from '@vueuse/core'
import { onScopeDispose, ref, watch } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import { unique } from '../api/line'

/** how often a page says that it has something open, in milliseconds */
const every = 15_000

/** Says what a page has open, and who else has it open, in words; nothing where nobody has. */
export function useHere(thing: () => string, typing: () => boolean) {
  const page = unique()
  const others = ref('')
  const seen = useDocumentVisibility()
  let said = ''
  async function say(what: string) {
    said = what
    try {
      const list = await ask(api.POST('/api/open', { body: { page, thing: what, typing: typing() } }))
      if (said === what) others.value = words(list)
    } catch {
      others.value = '' // nobody knows while the server is away, and it is said elsewhere that it is
    }
  }
  watch(
    thing,
    (what) => {
      others.value = ''
      if (what || said) void say(what)
    },
    { immediate: true },
  )
  watch(typing, () => thing() && void say(thing()))
  useIntervalFn(() => thing() && seen.value === 'visible' && void say(thing()), every)
  onScopeDispose(() => said && void say(''))
  // a page that is loaded anew would find itself here
  useEventListener(window, 'pagehide', () => {
    if (said) void api.POST('/api/open', { body: { page, thing: '', typing: false }, keepalive: true })
  })
  return others
}

function words(list: Schemas['Opening'][]): string {
  if (!list.length) return ''
  const names = list.map((o) => o.who)
  const who = names.length > 1 ? `${names.slice(0, -1).join(', ')} and ${names[names.length - 1]}` : names[0]
  const typing = list.filter((o) => o.typing).map((o) => o.who)
  return (
    `${who} ${names.length > 1 ? 'have' : 'has'} this open, too` +
    (typing.length ? `; ${typing.join(', ')} ${typing.length > 1 ? 'are' : 'is'} changing it` : '') +
    '.'
  )
}
