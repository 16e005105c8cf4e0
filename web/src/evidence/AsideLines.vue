<script setup lang="ts">
import Button from 'primevue/button'
import Textarea from 'primevue/textarea'
import { ref } from 'vue'
import { api, ask, type Lists } from '../api/client'
import ListFilter from '../components/ListFilter.vue'
import type { ListColumn } from '../components/ListRows.vue'
import ListTable from '../components/ListTable.vue'
import { useAct } from '../lib/act'
import { useKept } from '../lib/kept'
import { useSession } from '../lib/session'

/** The lines of files that were put aside: each is mended in place, given up, or tried again. */
const { may } = useSession()
const mayRun = may('run')
const columns: ListColumn[] = [
  { key: 'file', label: 'file', width: '10rem', fixed: true },
  { key: 'line', label: 'line', num: true, width: '4.5rem' },
  { key: 'reason', label: 'why it was put aside' },
  { key: 'content', label: 'the line', width: '34%' },
  { key: 'state', label: 'state', width: '5.4rem' },
  { key: 'author', label: 'by', width: '6rem', hidden: true },
]
const open = ref<Lists['asides']>()
const { form: typed, hold } = useKept(
  () => (open.value ? `aside:${open.value.id}` : 'aside:none'),
  () => ({ text: open.value?.content ?? '' }),
)
const { busy, says, act: run } = useAct()
function look(a: Lists['asides']) {
  open.value = a
  says.value = ''
}
async function act(what: () => Promise<unknown>, done: string) {
  const taken = hold()
  if (!(await run(what, done))) return
  taken()
  open.value = undefined
}
</script>

<template>
  <div v-if="open" class="sheet mend">
    <h2>{{ open.file }}, line {{ open.line }}</h2>
    <p class="drop">{{ open.reason }}</p>
    <Textarea
      v-model="typed.text"
      rows="3"
      fluid
      aria-label="the line"
      :readonly="!mayRun || open.state !== 'waiting'"
      data-mend-text
    />
    <div v-if="mayRun && open.state === 'waiting'" class="row">
      <Button
        label="Take in the mended line"
        size="small"
        data-mend
        :loading="busy"
        @click="
          act(
            () =>
              ask(
                api.POST('/api/asides/{id}/mend', {
                  params: { path: { id: open!.id } },
                  body: { content: typed.text },
                }),
              ),
            'The line went in.',
          )
        "
      />
      <Button
        label="Give this line up"
        size="small"
        severity="secondary"
        variant="outlined"
        @click="
          act(
            () => ask(api.POST('/api/asides/{id}/drop', { params: { path: { id: open!.id } } })),
            'The line was given up; it stays on record.',
          )
        "
      />
      <button class="plain" type="button" @click="open = undefined">close</button>
    </div>
  </div>
  <p v-if="says" role="status" class="mend-says" data-says>{{ says }}</p>
  <div class="aside">
    <ListTable
      name="asides"
      :columns="columns"
      sort="id"
      what="lines put aside"
      row-key="id"
      :current="open?.id"
      empty="No line was ever put aside."
      @open="look"
    >
      <template #title><h2>Put aside</h2></template>
      <template #filters>
        <ListFilter column="state" label="state" any="any state" :options="['waiting', 'mended', 'dropped']" />
      </template>
      <template #actions>
        <Button
          v-if="mayRun"
          label="Try all that wait again"
          size="small"
          severity="secondary"
          variant="outlined"
          @click="act(() => ask(api.POST('/api/asides/retry')), 'Tried again: what still waits stands below.')"
        />
      </template>
    </ListTable>
  </div>
</template>

<style scoped>
.aside {
  display: flex;
  min-height: 15rem;
  max-height: 26rem;
}
.mend {
  display: grid;
  gap: 0.4rem;
}
.mend p {
  margin: 0;
}
.mend-says {
  margin: 0;
}
</style>
