import { useDocumentVisibility } from '@vueuse/core'
import { onScopeDispose, ref, watch, type Ref } from 'vue'

/** how long the server is not tried again after a line broke, in milliseconds */
const pause = 5_000
/** how long a line may be silent, in milliseconds: the server says something every twenty seconds */
const silence = 50_000

/**
 * Lets the server tell what changes, as long as somebody is signed in and the page is seen: browsers open but a few
 * lines to a server, and pages behind others need none. What is returned says whether the line is open.
 */
export function useNews(path: string, wanted: Ref<boolean>, hear: (state: unknown) => void) {
  const open = ref(false)
  const seen = useDocumentVisibility()
  let line: EventSource | undefined
  let later: ReturnType<typeof setTimeout> | undefined
  let silent: ReturnType<typeof setTimeout> | undefined
  function end() {
    clearTimeout(later)
    clearTimeout(silent)
    line?.close()
    line = undefined
    open.value = false
  }
  function broken() {
    end()
    if (wanted.value && seen.value === 'visible') later = setTimeout(begin, pause)
  }
  function begin() {
    end()
    line = new EventSource(path)
    line.onmessage = (e) => {
      clearTimeout(silent)
      silent = setTimeout(broken, silence)
      open.value = true
      hear(JSON.parse(e.data as string))
    }
    line.onerror = broken
  }
  watch([wanted, seen], () => (wanted.value && seen.value === 'visible' ? begin() : end()), { immediate: true })
  onScopeDispose(end)
  return open
}
