<script setup lang="ts">
import ToggleSwitch from 'primevue/toggleswitch'
import { ref } from 'vue'
import { allKeys, keyOf, keySettings } from '../lib/keys'

/** The keys, on one page, where each can be changed and all that are letters switched off. */
const fixed = [
  ['↓ ↑', 'in a list: the next and the previous row'],
  ['Enter', 'in a list: open the row; in the raw names: decide what is chosen, and go on to the next'],
  ['Esc', 'close the last step of the trail or the open name, or leave the finding line'],
]
/** the key that is being changed */
const changing = ref('')
const says = ref('')
function press(e: KeyboardEvent) {
  if (['Shift', 'Control', 'Alt', 'Meta', 'Tab'].includes(e.key)) return
  e.preventDefault()
  e.stopPropagation()
  if (e.key === 'Escape') {
    changing.value = ''
    return
  }
  const key = e.key.length === 1 ? e.key.toLowerCase() : e.key
  const other = allKeys.find((k) => k.name !== changing.value && keyOf(k) === key)
  if (other || e.key.length > 1) {
    says.value = other
      ? `${key} is taken: ${other.says}.`
      : `${key} has a meaning of its own: choose a letter or a sign.`
    return
  }
  keySettings.value.own[changing.value] = key
  says.value = ''
  changing.value = ''
}
function usual() {
  keySettings.value.own = {}
  says.value = ''
}
</script>

<template>
  <div class="page">
    <h1>Keys</h1>
    <div class="row">
      <label class="row"
        ><ToggleSwitch
          :model-value="!keySettings.off"
          data-keys-on
          @update:model-value="(on: boolean) => (keySettings.off = !on)"
        />
        single letters and signs do something</label
      >
      <button v-if="Object.keys(keySettings.own).length" class="plain" type="button" @click="usual">
        the usual keys again
      </button>
    </div>
    <p class="soft">None of them does anything while you are in a field, a list to choose from, a menu or a dialog.</p>
    <p v-if="says" class="says" role="alert">{{ says }}</p>
    <div class="beside">
      <table class="lines keys">
        <tbody>
          <tr v-for="k in allKeys" :key="k.name" :data-key-row="k.name">
            <td>
              <kbd>{{ keyOf(k) }}</kbd>
            </td>
            <td>{{ k.says }}</td>
            <td>
              <button
                v-if="changing === k.name"
                type="button"
                class="plain"
                @vue:mounted="({ el }: { el: HTMLElement }) => el.focus()"
                @keydown="press"
                @blur="changing = ''"
              >
                press the key that is to do it, or Esc
              </button>
              <button v-else class="plain soft" type="button" @click="((says = ''), (changing = k.name))">
                change
              </button>
            </td>
          </tr>
          <tr v-for="[key, text] in fixed" :key="key">
            <td>
              <kbd>{{ key }}</kbd>
            </td>
            <td>{{ text }}</td>
            <td></td>
          </tr>
        </tbody>
      </table>
      <section>
        <h2>How to read it</h2>
        <p>
          The band at the top is the way of the work. Its height is the share of installs that passes on; what drops out
          hangs below its station, and is a link to just that.
        </p>
        <p>
          In a balance, what is owned lies above the line and what is needed below it, on one scale. Covered parts face
          each other; what is missing is hatched and called short; what is spare is an open outline; the whisker below
          is the doubt: how far the need could lie once stale and never scanned devices report.
        </p>
        <p>
          Nothing on the worklist is done because somebody clicked it. A case ends when a later scan shows that the
          software is gone, and opens again when a scan finds it back.
        </p>
      </section>
    </div>
  </div>
</template>

<style scoped>
.beside {
  display: grid;
  grid-template-columns: max-content minmax(18rem, 46rem);
  gap: 0 3rem;
  align-items: start;
}
.beside h2 {
  margin-top: 0.5rem;
}
.keys {
  width: auto;
  margin: 0.5rem 0 1.2rem;
}
@media (max-width: 1000px) {
  .beside {
    grid-template-columns: 1fr;
  }
}
p {
  max-width: 46rem;
}
</style>
