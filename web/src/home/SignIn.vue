<script setup lang="ts">
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Password from 'primevue/password'
import { ref } from 'vue'
import { api, ask } from '../api/client'

/** Signing in: by name and password, or with one click in a demo. */
defineProps<{
  demo: boolean
  /** Over a page: without the door around it. */
  over?: boolean
}>()
const emit = defineEmits<{ entered: [] }>()
const name = ref('')
const password = ref('')
const says = ref('')
const busy = ref(false)
const roles = [
  { role: 'look', text: 'Look', detail: 'sees everything, changes nothing' },
  { role: 'work', text: 'Work', detail: 'decides names, books rights, works the list' },
  { role: 'run', text: 'Run', detail: 'also takes in files and mends lines' },
] as const

async function enter(call: () => Promise<unknown>) {
  if (busy.value) return
  busy.value = true
  says.value = ''
  try {
    await call()
    emit('entered')
  } catch (e) {
    says.value = (e as Error).message
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <component :is="over ? 'div' : 'main'" :class="{ door: !over }">
    <template v-if="!over">
      <h1>Ensomet</h1>
      <p class="soft">What runs, what is owned, who uses it, and what to do about it.</p>
    </template>
    <template v-if="demo">
      <p>This is a demo with invented data. Enter with one click:</p>
      <ul>
        <li v-for="r in roles" :key="r.role">
          <Button
            :label="r.text"
            size="small"
            :data-enter="r.role"
            @click="enter(() => ask(api.POST('/api/sign-in/demo', { body: { role: r.role } })))"
          />
          <span class="soft">{{ r.detail }}</span>
        </li>
      </ul>
    </template>
    <form v-else @submit.prevent="enter(() => ask(api.POST('/api/sign-in', { body: { name, password } })))">
      <label for="name">Name</label>
      <InputText id="name" v-model="name" autocomplete="username" autofocus />
      <label for="password">Password</label>
      <Password v-model="password" input-id="password" :feedback="false" toggle-mask autocomplete="current-password" />
      <Button type="submit" label="Sign in" :disabled="!name || !password" :loading="busy" />
    </form>
    <p v-if="says" class="says" role="alert">{{ says }}</p>
  </component>
</template>

<style scoped>
.door {
  margin: 12vh auto 0;
  width: min(30rem, 92vw);
}
h1 {
  font-size: 1.7rem;
}
ul {
  list-style: none;
  padding: 0;
}
li {
  display: flex;
  gap: 0.8rem;
  align-items: center;
  padding: 0.25rem 0;
}
li :deep(button) {
  width: 6rem;
}
form {
  display: grid;
  gap: 0.4rem;
  justify-items: start;
}
form button {
  margin-top: 0.6rem;
}
</style>
