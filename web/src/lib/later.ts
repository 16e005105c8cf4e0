import { defineAsyncComponent, h, type Component } from 'vue'

// What is still under way when the page is left comes to nothing, which is no fault.
let leaving = false
addEventListener('beforeunload', () => {
  leaving = true
  setTimeout(() => (leaving = false), 10_000) // what looked like leaving may have been a file to save
})

const Missing = () =>
  h('p', { class: 'says', role: 'alert' }, 'A part of this page did not come. Load the page anew to have it.')

/** A component whose code comes when it is first shown; it is asked for three times before the page says so. */
export const later = (loader: () => Promise<Component>) =>
  defineAsyncComponent({
    loader,
    errorComponent: Missing,
    onError: (_e, retry, fail, attempts) => {
      if (leaving) return
      if (attempts < 3) setTimeout(retry, 500 * attempts)
      else fail()
    },
  })
