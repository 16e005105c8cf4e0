<script setup lang="ts">
/** The keys, on one page. */
const keys = [
  ['/', 'find a device, title, entitlement, person or action'],
  ['1 … 6', 'the stations: evidence, titles, entitlements, use, position, worklist'],
  ['0', 'the first page'],
  ['↓ ↑', 'in a list: the next and the previous row'],
  ['Enter', 'in a list: open the row'],
  ['Esc', 'close the last step of the trail, or leave the finding line'],
  ['a', 'in the names: accept the first proposal of the open name'],
  ['n', 'in the names: go to the next one, and leave this one for later'],
  ['x', 'in the names: this is not software that counts'],
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
