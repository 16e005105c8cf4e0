<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import AutoComplete from 'primevue/autocomplete'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import { computed, ref } from 'vue'
import { api, ask } from '../api/client'
import { useAct } from '../lib/act'
import { day, word } from '../lib/format'
import { useKept } from '../lib/kept'
import { useOwnFields, type OwnKind } from '../lib/own'
import { useSession } from '../lib/session'
import SureButton from './SureButton.vue'

/**
 * The fields of the house's own of one person, title, line or contract: what holds, what files say beside what somebody
 * said by hand, and a form that says one.
 */
const props = defineProps<{ kind: OwnKind; thing: string }>()
const mayWork = useSession().may('work')
const path = computed(() => ({ of: props.kind, thing: props.thing }))
const own = useQuery({
  queryKey: ['own', path],
  queryFn: () => ask(api.GET('/api/own-fields/{of}/{thing}', { params: { path: path.value } })),
})
const fields = computed(() => own.data.value?.fields ?? [])
const known = useOwnFields(() => props.kind)
const open = ref(false)
const { form, hold } = useKept(
  () => `own:${props.kind}:${props.thing}`,
  () => ({ field: '', value: '', reason: '' }),
)
const names = ref<string[]>([])
const findName = (e: { query: string }) =>
  (names.value = known.value
    .map((f) => f.name.replace(/^own:/, ''))
    .filter((n) => n.toLowerCase().includes(e.query.toLowerCase())))
const values = ref<string[]>([])
const findValue = (e: { query: string }) =>
  (values.value = (known.value.find((f) => f.name === `own:${form.value.field}`)?.values ?? []).filter((v) =>
    v.toLowerCase().includes(e.query.toLowerCase()),
  ))
const ready = computed(() => !!form.value.field.trim() && !!form.value.reason.trim() && !!own.data.value)
const { busy, says, act } = useAct()
async function put(body: { field: string; value: string; drop: boolean; reason: string }, done: string) {
  const taken = hold()
  await act(async () => {
    await ask(
      api.PUT('/api/own-fields/{of}/{thing}', {
        params: { path: path.value },
        body: { ...body, revision: own.data.value!.revision },
      }),
    )
    if (body.drop) return
    taken()
    open.value = false
  }, done)
}
const say = () => ready.value && put({ ...form.value, drop: false }, 'It holds from now on.')
function change(f: { name: string; value: string }) {
  form.value = { field: f.name, value: f.value, reason: '' }
  open.value = true
}
</script>

<template>
  <section class="sheet" data-own>
    <div class="row">
      <h2>Our own fields</h2>
      <span class="grow" />
      <button v-if="mayWork" class="plain" type="button" data-own-open @click="open = !open">
        {{ open ? 'close' : 'say one' }}
      </button>
    </div>
    <p v-if="own.error.value" class="says" role="alert">{{ own.error.value.message }}</p>
    <form v-if="open" class="say" data-own-form @submit.prevent="say">
      <AutoComplete
        v-model="form.field"
        :suggestions="names"
        size="small"
        placeholder="field, such as cost centre"
        aria-label="field"
        complete-on-focus
        @complete="findName"
      />
      <AutoComplete
        v-model="form.value"
        :suggestions="values"
        size="small"
        placeholder="value; empty for none"
        aria-label="value"
        complete-on-focus
        @complete="findValue"
      />
      <InputText
        v-model="form.reason"
        size="small"
        class="grow"
        placeholder="why, for whoever asks later"
        aria-label="why"
      />
      <Button type="submit" label="It is so" size="small" :disabled="!ready || busy" :loading="busy" />
    </form>
    <table v-if="fields.length" class="lines">
      <tbody>
        <tr v-for="f in fields" :key="f.name" :data-field="f.name">
          <th scope="row">{{ word(f.name) }}</th>
          <td>
            {{ f.value || 'none' }}
            <div v-if="f.author" class="soft">
              by hand: {{ f.author }}, {{ day(f.at) }}, “{{ f.reason }}”; files say {{ f.said || 'nothing' }}
              <SureButton
                v-if="mayWork"
                label="take it back"
                :ask="`Let what files say of the field ${word(f.name)} hold again?`"
                sure="take it back"
                @sure="
                  put({ field: f.name, value: '', drop: true, reason: '' }, 'Taken back: what files say holds again.')
                "
              />
            </div>
          </td>
          <td class="num">
            <button v-if="mayWork" class="plain" type="button" @click="change(f)">change</button>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-else-if="own.data.value && !open" class="soft">
      None. Columns of files that are not ours become fields, and one can be said here.
    </p>
    <p v-if="says" role="status" data-own-says>{{ says }}</p>
  </section>
</template>

<style scoped>
section {
  margin-top: 0.9rem;
}
.say {
  display: flex;
  flex-wrap: wrap;
  gap: 0.4rem;
  padding-bottom: 0.5rem;
}
.lines th {
  font-weight: 400;
  width: 9rem;
  vertical-align: top;
  border-bottom: 1px solid var(--line);
}
</style>
