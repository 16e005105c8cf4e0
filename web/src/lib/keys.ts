import { useEventListener, useStorage } from '@vueuse/core'
import { computed } from 'vue'

/** A key that does something: its name, by which people may give it another, and what it does. */
export interface Key {
  /** what it is called, such as names.later */
  name: string
  /** the key as it is given, such as l; letters small */
  key: string
  /** what it does, in words */
  says: string
  /** where nothing is to be done it returns false, and the browser's own meaning of the key holds */
  press: (e: KeyboardEvent) => unknown
  /** a few act on a row or a button that has the focus, too, where Enter otherwise means that itself */
  overButtons?: boolean
}

/** What a person has set about keys in this browser. */
export const keySettings = useStorage('ensomet-keys', { off: false, own: {} as Record<string, string> })

/** The key by which something is done: a person's own, or the usual one. */
export const keyOf = (k: Pick<Key, 'name' | 'key'>) => keySettings.value.own[k.name] ?? k.key

/** Fields, lists to choose from, menus and dialogs have keys of their own. */
const own =
  'input:not([type="checkbox"]):not([type="radio"]), textarea, select, [contenteditable="true"], [role="combobox"], ' +
  '[role="listbox"], [role="option"], [role="menu"], [role="menuitem"], [role="dialog"], [role="spinbutton"], ' +
  '[role="switch"], .p-select, .p-multiselect, .p-autocomplete, .p-datepicker'
const overlays =
  '.p-dialog, .p-select-overlay, .p-multiselect-overlay, .p-autocomplete-overlay, .p-datepicker-panel, .p-menu-overlay'

/** Whether a key pressed now belongs to what has the focus, or was used already. */
export function taken(e: KeyboardEvent): boolean {
  const at = e.target instanceof Element ? e.target : document.body
  return (
    e.defaultPrevented ||
    e.isComposing ||
    e.ctrlKey ||
    e.metaKey ||
    e.altKey ||
    !!at.closest(own) ||
    !!document.querySelector(overlays)
  )
}

/**
 * The one way in which a page has keys. None acts in a field, a list, a menu or a dialog, or on what was handled; all
 * of single letters can be switched off, and each can be changed (WCAG 2.1.4).
 */
export function useKeys(keys: () => Key[]) {
  const byKey = computed(() => new Map(keys().map((k) => [keyOf(k), k])))
  useEventListener(window, 'keydown', (e: KeyboardEvent) => {
    if (taken(e)) return
    const k = byKey.value.get(e.key.length === 1 ? e.key.toLowerCase() : e.key)
    if (!k || (keySettings.value.off && e.key.length === 1)) return
    const at = e.target as HTMLElement
    if (e.key === 'Enter' && !k.overButtons && at.closest('button, a, tr, summary')) return
    if (k.press(e) !== false) e.preventDefault()
  })
}

/** All keys that can be changed, as the page about them lists them. */
export const allKeys: Omit<Key, 'press'>[] = [
  { name: 'find', key: '/', says: 'find a device, title, entitlement, person or action' },
  { name: 'station.1', key: '1', says: 'go to evidence' },
  { name: 'station.2', key: '2', says: 'go to titles' },
  { name: 'station.3', key: '3', says: 'go to entitlements' },
  { name: 'station.4', key: '4', says: 'go to use' },
  { name: 'station.5', key: '5', says: 'go to position' },
  { name: 'station.6', key: '6', says: 'go to worklist' },
  { name: 'home', key: '0', says: 'go to the first page' },
  { name: 'help', key: '?', says: 'show this page' },
  { name: 'names.next', key: 'n', says: 'in the raw names: open the next one' },
  { name: 'names.before', key: 'p', says: 'in the raw names: open the one before' },
  {
    name: 'names.mark',
    key: 'm',
    says: 'in the raw names: mark it, so that the next decision is for all that are marked',
  },
  { name: 'names.undo', key: 'u', says: 'in the raw names: take back the last thing you did there' },
  { name: 'names.first', key: 'a', says: 'in the raw names: choose the first proposal; its effect shows' },
  { name: 'names.second', key: 'b', says: 'in the raw names: choose the second proposal' },
  { name: 'names.third', key: 'c', says: 'in the raw names: choose the third proposal' },
  { name: 'names.fourth', key: 'd', says: 'in the raw names: choose the fourth proposal' },
  { name: 'names.fifth', key: 'e', says: 'in the raw names: choose the fifth proposal' },
  { name: 'names.nothing', key: 'x', says: 'in the raw names: this is not software that counts' },
  { name: 'names.later', key: 'l', says: 'in the raw names: set it aside for thirty days' },
  { name: 'names.along', key: 's', says: 'in the raw names: take similar names along, or not' },
  { name: 'names.new', key: 't', says: 'in the raw names: make a new title' },
  { name: 'names.find', key: 'f', says: 'in the raw names: find another title' },
]

/** The key by which something of the list is done now, as a hint; nothing where single letters are switched off. */
export function hintOf(name: string): string {
  const k = allKeys.find((x) => x.name === name)
  return k && !keySettings.value.off ? keyOf(k) : ''
}

/** A key of the list, with what it does here. */
export function key(name: string, press: Key['press'], more: Partial<Key> = {}): Key {
  const k = allKeys.find((x) => x.name === name)
  if (!k) throw new Error(`there is no key ${name}`)
  return { ...k, press, ...more }
}
