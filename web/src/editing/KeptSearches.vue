<script setup lang="ts">
/** Beside a line to look for things with: those that are kept, and this one by a name, for oneself or for all. */
import { computed, ref } from 'vue'
import { type Kept, useSearches } from '@/api/searches'
import { useSession } from '@/api/session'
import { useAct } from '@/editing/act'
import { useFrame } from '@/frame/frame'
import CheckBox from '@/ui/CheckBox.vue'

const props = defineProps<{ place: Kept['place'] }>()
const line = defineModel<string>({ required: true })
const { id: network } = useFrame()
const session = useSession()
const { kept, keep, forget } = useSearches(network)
const here = computed(() => (kept.value ?? []).filter((one) => one.place === props.place))
const writable = computed(() => session.writes)
const box = ref<HTMLDetailsElement>()
const name = ref('')
const shared = ref(false)
const { busy, problem, act } = useAct()

function take(one: Kept): void {
  line.value = one.line
  shut()
}
function shut(): void {
  if (box.value) box.value.open = false
  box.value?.querySelector('summary')?.focus()
}
async function save(): Promise<void> {
  const body = { place: props.place, name: name.value, line: line.value, shared: shared.value }
  if (await act(() => keep.mutateAsync(body))) name.value = ''
}
</script>

<template>
  <details
    v-if="here.length || line.trim()"
    ref="box"
    class="kept"
    data-stop
    @keydown.esc.stop.prevent="shut"
    @focusout="
      box?.open && $event.relatedTarget && !box.contains($event.relatedTarget as Node) && (box.open = false)
    "
  >
    <summary>kept</summary>
    <div class="sheet">
      <ul v-if="here.length" class="plain-list">
        <li v-for="one in here" :key="one.id">
          <button type="button" class="link" :title="one.line" @click="take(one)">{{ one.name }}</button>
          <span class="raw small soft">{{ one.line }}</span>
          <span v-if="one.shared" class="small soft">{{ one.mine ? 'shared' : `of ${one.person}` }}</span>
          <button
            v-if="one.mine || (one.shared && writable)"
            type="button"
            class="plain soft"
            :aria-label="`forget ${one.name}`"
            @click="act(() => forget.mutateAsync(one.id))"
          >
            ×
          </button>
        </li>
      </ul>
      <form v-if="line.trim()" class="keep" @submit.prevent="save">
        <input v-model="name" class="find" aria-label="Keep this search as" placeholder="keep this as …" />
        <CheckBox v-if="writable" v-model="shared">for all</CheckBox>
        <button type="submit" class="link" :disabled="busy || !name.trim()">keep</button>
      </form>
      <p v-if="problem" class="problem small" role="alert">{{ problem }}</p>
    </div>
  </details>
</template>

<style scoped>
.kept {
  position: relative;
  font-size: 13px;
}
.kept > summary {
  color: var(--soft);
  cursor: pointer;
  padding: 4px 0;
}
.sheet {
  position: absolute;
  z-index: 20;
  top: 100%;
  left: 0;
  width: 340px;
  max-width: 80vw;
  max-height: 60vh;
  overflow-y: auto;
  padding: 10px 12px;
  background: var(--sheet);
  border: 1px solid var(--depth-4);
  border-top: 3px solid var(--depth-5);
  box-shadow: 0 6px 18px rgb(0 0 0 / 18%);
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: flex;
  align-items: baseline;
  gap: 8px;
  padding: 3px 0;
}
li > .raw {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.keep {
  display: flex;
  align-items: center;
  gap: 10px;
  margin-top: 6px;
}
.keep > input {
  flex: 1;
  min-width: 0;
}
</style>
