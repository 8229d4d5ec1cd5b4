<script setup lang="ts">
/** One name: what it stands for, where it is used, and its edit with what that comes down to. */
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { NameDetail, NameOut, Shapes } from '@/api/client'
import type { Field } from '@/editing/things'
import { consequenceOfName } from '@/api/names'
import { isOwn, membersEdit, remarks } from '@/places/names/names'
import { counted, figure } from '@/words'
import { problemsAt } from '@/places/rules/ruleDraft'
import { useConsequence } from '@/editing/consequence'
import { useEditing } from '@/editing/editing'
import EditingNotes from '@/editing/EditingNotes.vue'
import { closesList } from '@/editing/escape'
import ConsequenceList from '@/editing/ConsequenceList.vue'
import FormField from '@/editing/FormField.vue'
import HistoryList from '@/editing/HistoryList.vue'
import MemberField from '@/editing/MemberField.vue'
import ChoiceField from '@/ui/ChoiceField.vue'
import DateField from '@/ui/DateField.vue'
import TextField from '@/ui/TextField.vue'

const props = defineProps<{
  network: number
  name: NameDetail | null
  kind: 'addresses' | 'service'
  names: NameOut[]
  writable: boolean
  /** Somebody has deleted it. */
  gone: boolean
  save: (thing: Shapes['NameIn'], ver: number) => Promise<unknown>
  traits: readonly string[]
  remove: () => Promise<unknown>
  replaceBy: (by: string) => Promise<unknown>
}>()
const emit = defineEmits<{ close: [] }>()

const TRAITS: Field = {
  key: 'traits',
  label: 'And all hosts with every one of these traits',
  type: 'list',
  from: 'trait',
  hint: 'kind kiosk',
}
const start = () => ({
  name: props.name?.name ?? '',
  members: [...(props.name?.all_members ?? [])],
  traits: [...(props.name?.traits ?? [])],
  notes: (props.name?.notes ?? []).map((n) => ({ ...n })),
  description: props.name?.description ?? '',
})
const { draft, base, resumed, problems, failure, meanwhile, busy, dirty, act, kept } = useEditing({
  read: start,
  ver: () => props.name?.ver ?? 0,
  place: () => `name ${props.network} ${props.name?.id ?? props.kind}`,
})
const route = useRoute()
const router = useRouter()
const heir = ref<string | null>(null)

const editable = computed(
  () => !props.name || props.name.kind === 'addresses' || props.name.kind === 'service',
)
const edit = computed(() => membersEdit(props.name?.all_members ?? [], draft.members))
const others = computed(() => props.names.filter((n) => n.name !== props.name?.name))
const heirs = computed(() =>
  others.value
    .filter((n) => isOwn(n) && (n.kind === 'service') === (props.kind === 'service'))
    .map((n) => n.name),
)
const renamed = computed(() => props.name !== null && draft.name.trim() !== props.name.name)

// What the change would do in every policy, before it is saved.
const PAUSE_MS = 80
const typing = ref(false)
const { told, stale, about } = useConsequence('name', (asking, thing: Shapes['NameIn'], signal) =>
  consequenceOfName(props.network, props.name!.id, { ...asking, thing }, signal),
)
let timer = 0
const meaning = computed(() => JSON.stringify([draft.members, draft.traits]))
watch(meaning, () => {
  clearTimeout(timer)
  if (!props.name || meaning.value === JSON.stringify([props.name.all_members, props.name.traits])) {
    typing.value = false
    void about(null)
    return
  }
  typing.value = true
  timer = window.setTimeout(() => {
    typing.value = false
    void about({
      ...draft,
      name: draft.name.trim() || props.name!.name,
      members: [...draft.members],
      notes: [],
    })
  }, PAUSE_MS)
})
onBeforeUnmount(() => clearTimeout(timer))
const touched = computed(() => {
  const policies = told.value?.policies ?? []
  if (!told.value || told.value.problems.length || !policies.length) return ''
  return policies.length === 1
    ? `It is felt in ${policies[0]!.name}.`
    : `It is felt in ${policies.length} policies.`
})

function ask(q: string): void {
  void router.replace({ query: { ...route.query, q } })
}
const elsewhere = computed(() =>
  problems.value.filter((p) => !['name', 'members', 'traits'].includes(String(p.path[0]))),
)

/** What is known of a member; only what says something is kept, and only of members. */
const noteOf = (member: string) =>
  draft.notes.find((n) => n.member.toLowerCase() === member.toLowerCase()) ?? {
    member,
    text: '',
    owner: '',
    until: '',
  }
function annotate(member: string, key: 'text' | 'owner' | 'until', value: string): void {
  const note = { ...noteOf(member), [key]: value }
  draft.notes = [...draft.notes.filter((n) => n.member.toLowerCase() !== member.toLowerCase()), note]
}
const notes = () =>
  draft.notes.filter(
    (n) =>
      (n.text || n.owner || n.until) && draft.members.some((m) => m.toLowerCase() === n.member.toLowerCase()),
  )

async function submit(): Promise<void> {
  await act(async () => {
    const thing = { ...draft, name: draft.name.trim(), members: [...draft.members], notes: notes() }
    await props.save(thing, base.value.ver)
    kept()
  })
}
</script>

<template>
  <section class="editor form-panel" @keydown.esc.stop="closesList($event) || emit('close')">
    <h2>{{ name ? name.name : kind === 'service' ? 'New service' : 'New addresses' }}</h2>
    <EditingNotes :gone="gone" :resumed="resumed" :meanwhile="meanwhile" />
    <p v-if="name" class="soft small">
      {{ name.kind }}<template v-if="!editable && name.description"> · {{ name.description }}</template>
    </p>
    <p
      v-for="remark in name ? remarks(name) : []"
      :key="remark.text"
      class="small"
      :class="remark.weight === 'warning' ? 'warning' : 'soft'"
    >
      {{ remark.text }}
    </p>
    <form v-if="editable && writable" id="name-form" novalidate @submit.prevent="submit">
      <TextField id="name-name" v-model="draft.name" label="Name" :problems="problemsAt(problems, 'name')" />
      <MemberField
        v-model="draft.members"
        :field="kind === 'service' ? 'service' : 'source'"
        label="Members"
        :names="others"
        :problems="problemsAt(problems, 'members')"
      />
      <FormField
        v-if="kind !== 'service'"
        v-model="draft.traits"
        :field="TRAITS"
        :path="['traits']"
        :problems="problems"
        :names="() => [...traits]"
      />
      <details v-if="draft.members.length" class="notes">
        <summary class="small">
          notes on members <span v-if="notes().length" class="soft">{{ notes().length }}</span>
        </summary>
        <div v-for="member in draft.members" :key="member" class="note small">
          <span class="raw">{{ member }}</span>
          <input
            :value="noteOf(member).text"
            placeholder="why it is here"
            :aria-label="`note on ${member}`"
            @input="annotate(member, 'text', ($event.target as HTMLInputElement).value)"
          />
          <input
            :value="noteOf(member).owner"
            placeholder="who answers for it"
            :aria-label="`owner of ${member}`"
            @input="annotate(member, 'owner', ($event.target as HTMLInputElement).value)"
          />
          <DateField
            quiet
            :label="`end date of ${member}`"
            :model-value="noteOf(member).until"
            @update:model-value="annotate(member, 'until', $event)"
          />
        </div>
      </details>
      <TextField id="name-why" v-model="draft.description" label="Why" :rows="2" placeholder="what for" />
      <p v-if="name && (edit || renamed)" class="consequence" aria-live="polite" data-testid="name-edit">
        <template v-if="edit">{{ edit[0]!.toUpperCase() + edit.slice(1) }}. </template>
        <template v-if="renamed">Renamed, and every use follows. </template>
        <template v-if="touched">{{ `${touched} ` }}</template>
        <span class="soft">{{
          name.uses ? `Used in ${counted(name.uses, 'place')}.` : 'Nothing uses it yet.'
        }}</span>
      </p>
      <ConsequenceList v-if="name && told" :told="told" :stale="stale || typing" named :few="6" @ask="ask" />
      <p v-for="p in elsewhere" :key="p.place + p.message" class="problem" role="alert">{{ p.message }}</p>
      <p v-if="failure" class="problem" role="alert">{{ failure }}</p>
    </form>
    <div v-if="editable && writable" class="form-end">
      <v-btn type="submit" form="name-form" color="primary" :loading="busy" :disabled="!dirty">{{
        gone ? 'Add as new' : name ? 'Save' : 'Add'
      }}</v-btn>
      <v-btn variant="outlined" @click="emit('close')">{{ dirty ? 'Discard' : 'Close' }}</v-btn>
      <v-btn v-if="name && !name.uses" variant="outlined" @click="act(remove)">Delete</v-btn>
    </div>
    <p v-if="name && !editable && name.traits.length" class="small soft">{{ name.traits.join(', ') }}</p>
    <div v-if="name" class="values">
      <h3>Stands for</h3>
      <div v-for="value in name.values" :key="value" class="raw">{{ value }}</div>
      <div v-if="name.more" class="soft small">and {{ figure(name.more) }} more</div>
      <div v-if="!name.values.length" class="soft small">nothing</div>
    </div>
    <template v-if="name && name.used.length">
      <h3>Used in</h3>
      <ul>
        <li v-for="use in name.used" :key="`${use.policy}/${use.owner}/${use.field}`">
          <router-link
            v-if="use.policy_id"
            class="link"
            :to="{ name: 'rules', params: { network, policy: use.policy_id }, query: { rule: use.rule_id } }"
            >{{ use.owner }}</router-link><template v-else>{{ use.owner }}</template>
          <span class="soft small where">{{
            use.policy ? `${use.field}, ${use.policy}` : use.field === 'members' ? 'a name' : use.field
          }}</span>
        </li>
      </ul>
      <form v-if="editable && writable" class="heir" @submit.prevent="heir && act(() => replaceBy(heir!))">
        <ChoiceField id="name-heir" v-model="heir" label="Replace everywhere by" :items="heirs" search />
        <div class="row">
          <v-btn type="submit" variant="outlined" :disabled="!heir">Replace</v-btn>
        </div>
      </form>
    </template>
    <template v-if="name && name.through.length">
      <h3>Used through groups</h3>
      <ul>
        <li v-for="use in name.through" :key="`${use.policy}/${use.owner}/${use.field}`">
          <router-link
            v-if="use.policy_id"
            class="link"
            :to="{ name: 'rules', params: { network, policy: use.policy_id }, query: { rule: use.rule_id } }"
            >{{ use.owner }}</router-link><template v-else>{{ use.owner }}</template>
          <span class="soft small where">
            {{ use.policy ? `${use.field}, ${use.policy},` : `${use.field},` }} by {{ use.groups.join(', ') }}
          </span>
        </li>
      </ul>
    </template>
    <HistoryList v-if="name" :id="name.id" :key="name.id" :network="network" kind="name" :ver="name.ver" />
  </section>
</template>

<style scoped>
h3 {
  font-size: 13px;
  margin: 16px 0 3px;
}
.consequence {
  margin-top: 12px;
  padding-left: 12px;
  border-left: 4px solid var(--depth-5);
}
.row {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-top: 3px;
}
.notes summary {
  margin-top: 10px;
  cursor: pointer;
}
.note {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 3px;
  margin: 6px 0;
  padding-left: 10px;
  border-left: 3px solid var(--depth-2);
}
.note > .raw {
  grid-column: 1 / -1;
}
.note input {
  min-width: 0;
  padding: 3px 6px;
  font: inherit;
  color: inherit;
  background: var(--paper);
  border: 1px solid var(--hair);
}
.heir {
  margin-top: 12px;
  font-size: 13px;
}
ul {
  list-style: none;
  padding: 0;
}
li {
  padding: 2px 0;
}
.where {
  margin-left: 8px;
}
</style>
