<script setup lang="ts">
/** Who did what when, searchable; each entry is chained to the one before. */
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, data, type Shapes } from '@/api/client'
import { useAudit } from '@/api/releases'
import { moment } from '@/ui/dates'
import { useAct } from '@/editing/act'
import { useFrame } from '@/frame/frame'
import CheckBox from '@/ui/CheckBox.vue'
import { counted } from '@/words'
import { useSession } from '@/api/session'

const { id: network } = useFrame()
const route = useRoute()
const router = useRouter()
const session = useSession()
const { problem, act } = useAct()
const administrates = computed(() => session.role === 'administrator')
const q = computed(() => (typeof route.query.find === 'string' ? route.query.find : ''))
const whole = computed(() => administrates.value && route.query.whole === '1')
const before = ref<number | null>(null)
const pages = ref<Shapes['AuditOut'][]>([])
const { data: page, error } = useAudit(network, q, whole, before)
watch([q, whole], () => {
  before.value = null
  pages.value = []
})
watch(page, (found) => {
  if (!found) return
  pages.value =
    before.value === null
      ? found
      : [...pages.value, ...found.filter((e) => !pages.value.some((p) => p.id === e.id))]
})
const words = ref(q.value)
let typing = 0
watch(words, (find) => {
  clearTimeout(typing)
  typing = window.setTimeout(
    () => void router.replace({ query: { ...route.query, find: find.trim() || undefined } }),
    200,
  )
})
function everything(on: boolean): void {
  void router.replace({ query: { ...route.query, whole: on ? '1' : undefined } })
}
const checked = ref('')
function check() {
  return act(async () => {
    const told = await data(api.GET('/api/audit/check'))
    checked.value =
      told.broken === null
        ? `The chain holds: ${counted(told.entries, 'entry')}, the last ${told.head.slice(0, 16)}.`
        : `The chain is broken at entry ${told.broken}: ${told.why}.`
  })
}
const shown = (value: unknown) => (typeof value === 'object' ? JSON.stringify(value) : String(value))
</script>

<template>
  <section class="audit" aria-label="Who did what when">
    <div class="head">
      <input
        v-model="words"
        class="plain-field"
        type="search"
        aria-label="Find in what was done"
        placeholder="person, act or name"
      />
      <template v-if="administrates">
        <CheckBox :model-value="whole" @update:model-value="everything"
          >sign-ins and other networks, too</CheckBox
        >
        <button class="link small" @click="check">does the chain hold?</button>
        <a class="link small" href="/api/audit/lines" download>download as JSON Lines</a>
      </template>
    </div>
    <p v-if="checked" role="status">{{ checked }}</p>
    <p v-if="problem || error" class="problem" role="alert">{{ problem || error?.message }}</p>
    <ol>
      <li v-for="e in pages" :key="e.id">
        <span class="soft small at">{{ moment(e.at) }}</span>
        <div>
          <strong>{{ e.person }}</strong> {{ e.act }} <span v-if="e.about">· {{ e.about }}</span>
          <details v-if="e.rows.length || Object.keys(e.detail).length">
            <summary class="small soft">{{ e.rows.length ? 'before and after' : 'more' }}</summary>
            <div v-for="(row, at) in e.rows" :key="at" class="small">
              <span v-if="row.name">{{ row.name }}</span>
              <div v-for="d in row.differences" :key="d.what">
                <span class="soft">{{ d.what }}:</span> <s v-if="d.before">{{ d.before }}</s>
                {{ d.after ?? '' }}
              </div>
            </div>
            <div v-for="(value, key) in e.detail" :key="key" class="small">
              <span class="soft">{{ key }}:</span> {{ shown(value) }}
            </div>
            <div class="raw soft">{{ e.id }} {{ e.digest.slice(0, 24) }}</div>
          </details>
        </div>
      </li>
      <li v-if="page && !pages.length" class="soft">Nothing is found.</li>
    </ol>
    <button
      v-if="page && page.length >= 200"
      class="link"
      @click="before = pages[pages.length - 1]?.id ?? null"
    >
      earlier
    </button>
  </section>
</template>

<style scoped>
.head {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 18px;
  align-items: center;
  margin-bottom: 8px;
}
.head input[type='search'] {
  width: 260px;
}
ol {
  list-style: none;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 150px minmax(0, 1fr);
  gap: 12px;
  padding: 5px 0;
  border-top: 1px solid var(--hair);
  overflow-wrap: anywhere;
}
s {
  color: var(--soft);
}
</style>
