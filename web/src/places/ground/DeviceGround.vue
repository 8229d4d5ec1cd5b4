<script setup lang="ts">
/** What a device tells of its interfaces, routes and neighbours otherwise than it is written here; each is taken over by itself. */
import { computed, ref, toRef } from 'vue'
import type { Shapes } from '@/api/client'
import { useNetworkEdits } from '@/api/networkEdits'
import { useLinks, useReadGround } from '@/api/releases'
import { useSession } from '@/api/session'
import { useAct } from '@/editing/act'
import { useFrame } from '@/frame/frame'
import { inTurn } from '@/ui/turn'
import { counted } from '@/words'

const props = defineProps<{ device: number }>()
const { id: network, revision } = useFrame()
const session = useSession()
const { data: links } = useLinks(network)
const read = useReadGround(network, toRef(props, 'device'))
const edits = useNetworkEdits(network)
const may = computed(
  () =>
    ['releaser', 'administrator'].includes(session.role) &&
    (links.value ?? []).some((link) => link.device_id === props.device),
)
const told = ref<Shapes['GroundReadOut'] | null>(null)
const { busy, problem, act } = useAct()

function ask(): Promise<unknown> {
  return act(async () => {
    told.value = await read.mutateAsync()
  })
}
/** One step of undo; what is left is read again. */
async function take(text: string): Promise<void> {
  const body = { form: 'changes' as const, text, device: '', revision: revision.value }
  if (await act(() => inTurn(() => edits.bringIn.mutateAsync(body)))) await ask()
}
</script>

<template>
  <div v-if="may" class="small told">
    <button type="button" class="link" :disabled="busy" @click="ask">
      {{ busy ? 'asking …' : told ? 'ask it again' : 'ask it what it knows of the ground' }}
    </button>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <div v-else-if="told" role="status">
      <p v-if="told.failed" class="problem">{{ told.failed }}</p>
      <p v-else-if="!told.differences.length" class="soft">It tells the ground as it is written here.</p>
      <template v-else>
        <p>{{ counted(told.differences.length, 'difference') }}:</p>
        <ul class="plain-list">
          <li v-for="one in told.differences" :key="one.what">
            {{ one.what }}
            <button
              v-if="one.wish && session.writes"
              type="button"
              class="link"
              :disabled="busy"
              :aria-label="`take over: ${one.what}`"
              @click="take(one.wish)"
            >
              take over
            </button>
          </li>
        </ul>
      </template>
      <p v-for="note in told.notes" :key="note" class="soft">{{ note }}</p>
    </div>
  </div>
</template>

<style scoped>
.told {
  margin-top: 8px;
}
.told button {
  padding: 4px 0;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  padding: 3px 0;
}
</style>
