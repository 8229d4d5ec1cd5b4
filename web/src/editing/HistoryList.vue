<script setup lang="ts">
/** Who changed it, when, and what differed. */
import { ref, watch } from 'vue'
import { api, data, type HistoryEntry } from '@/api/client'
import { moment } from '@/ui/dates'

const props = defineProps<{ network: number; kind: 'rule' | 'name'; id: number; ver: number }>()
const entries = ref<HistoryEntry[] | null>(null)

const opened = ref(false)

async function read(): Promise<void> {
  if (!opened.value) return
  const network_id = props.network
  entries.value =
    props.kind === 'rule'
      ? await data(
          api.GET('/api/networks/{network_id}/rules/{rule_id}/history', {
            params: { path: { network_id, rule_id: props.id } },
          }),
        )
      : await data(
          api.GET('/api/networks/{network_id}/names/{name_id}/history', {
            params: { path: { network_id, name_id: props.id } },
          }),
        )
}

watch([opened, () => props.ver], read)
</script>

<template>
  <details class="history" @toggle="opened = ($event.target as HTMLDetailsElement).open">
    <summary>History</summary>
    <p v-if="entries && !entries.length" class="soft small">As it was imported.</p>
    <ol v-else-if="entries">
      <li v-for="entry in entries" :key="entry.revision">
        <div>
          {{ entry.act }} <span class="soft small">{{ entry.person }}, {{ moment(entry.at) }}</span>
        </div>
        <div v-for="d in entry.differences" :key="d.what" class="small">
          <span class="soft">{{ d.what }}:</span> <s v-if="d.before">{{ d.before }}</s> {{ d.after ?? '' }}
        </div>
      </li>
    </ol>
  </details>
</template>

<style scoped>
.history {
  margin-top: 16px;
  font-size: 13.5px;
}
summary {
  cursor: pointer;
  font-weight: 650;
  font-size: 13px;
}
ol {
  list-style: none;
  padding: 0;
}
li {
  padding: 6px 0;
  border-top: 1px solid var(--hair);
  overflow-wrap: anywhere;
}
s {
  color: var(--soft);
}
</style>
