import { ref, watch, type Ref } from 'vue'
import { useSession } from './session'

/**
 * What is typed into a small form that adds something, such as a note: it survives a reload, a session that ends and a
 * server that is away, and is emptied once the server has taken it.
 *
 * @param key of what it is added to, such as note:E-1
 */
export function useKept<T extends object>(key: () => string, blank: () => T) {
  const { me } = useSession()
  const place = () => (me.value?.name ? `ensomet-draft:${me.value.name}:${key()}` : '')
  const form = ref(blank()) as Ref<T>
  watch(
    place,
    (now) => {
      const text = now && sessionStorage.getItem(now)
      form.value = text ? { ...blank(), ...(JSON.parse(text) as T) } : blank()
    },
    { immediate: true },
  )
  watch(
    form,
    (f) => {
      const now = place()
      if (!now) return
      if (JSON.stringify(f) === JSON.stringify(blank())) sessionStorage.removeItem(now)
      else sessionStorage.setItem(now, JSON.stringify(f))
    },
    { deep: true },
  )
  /**
   * Is called before what is typed is sent; what it returns, once the server has taken it: then the form is emptied, but
   * not what was typed since, or what belongs to another thing that is open by then.
   */
  function hold(): () => void {
    const at = place()
    const sent = JSON.stringify(form.value)
    return () => {
      if (place() !== at) sessionStorage.removeItem(at)
      else if (JSON.stringify(form.value) === sent) {
        form.value = blank()
        sessionStorage.removeItem(at)
      }
    }
  }
  return { form, hold }
}
