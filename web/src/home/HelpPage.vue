<script setup lang="ts">
/** The keys, on one page. */
const keys = [
  ['/', 'find a device, title, entitlement, person or action'],
  ['1 … 6', 'the stations: evidence, titles, entitlements, use, position, worklist'],
  ['0', 'the first page'],
  ['↓ ↑', 'in a list: the next and the previous row'],
  ['Enter', 'in a list: open the row'],
  ['Esc', 'close the last step of the trail, or leave the finding line'],
  ['n p', 'in the raw names: open the next, the previous one'],
  ['a … e', 'in the raw names: choose the first to fifth proposal; its effect shows'],
  ['x', 'in the raw names: this is not software that counts'],
  ['Enter', 'in the raw names: decide what is chosen, and go on to the next'],
  ['f t', 'in the raw names: find another title; make a new one'],
  ['l', 'in the raw names: set it aside for thirty days'],
  ['s', 'in the raw names: take similar names along, or not'],
  ['m', 'in the raw names: mark it, so that the next decision is for all that are marked'],
  ['u', 'in the raw names: take back the last thing you did there'],
  ['?', 'this page'],
]
</script>

<template>
  <div class="page">
    <h1>Keys</h1>
    <table class="lines keys">
      <tbody>
        <tr v-for="[key, text] in keys" :key="key">
          <td>
            <kbd>{{ key }}</kbd>
          </td>
          <td>{{ text }}</td>
        </tr>
      </tbody>
    </table>
    <h2>How to read it</h2>
    <p>
      The band at the top is the way of the work. Its height is the share of installs that passes on; what drops out
      hangs below its station, and is a link to just that.
    </p>
    <p>
      In a balance, what is owned lies above the line and what is needed below it, on one scale. Covered parts face each
      other; what is missing is hatched and called short; what is spare is an open outline; the whisker below is the
      doubt: how far the need could lie once stale and never scanned devices report.
    </p>
    <p>
      Nothing on the worklist is done because somebody clicked it. A case ends when a later scan shows that the software
      is gone, and opens again when a scan finds it back.
    </p>
  </div>
</template>

<style scoped>
.keys {
  width: auto;
  margin: 0.5rem 0 1.2rem;
}
p {
  max-width: 46rem;
}
</style>
