<script setup lang="ts">
/** The ask line: a question in words, completed while it is typed, answered at once, its course one key away. */
import { computed, nextTick, onBeforeUnmount, onMounted, ref } from 'vue'
import { api, data, type Suggestion } from '@/api/client'
import { useAnswer } from '@/api/questions'
import { coursesOf } from '@/chart/courses'
import { exampleOf, wordStart } from '@/words'
import { useFrame } from '@/frame/frame'
import { usePins } from '@/frame/pins'
import AnswerSheet from '@/frame/AnswerSheet.vue'
import { useAddress } from '@/ui/address'
import { useKeys } from '@/ui/keys'
import LineCode from '@/chart/LineCode.vue'

const PAUSE_MS = 120

const { id, names, revision } = useFrame()
const example = computed(() => exampleOf(names.value))
const input = ref<HTMLInputElement>()
const box = ref<HTMLElement>()
const text = ref('')
const question = ref('')
const suggestions = ref<Suggestion[]>([])
const chosen = ref(-1)
const open = ref(false)
const focused = ref(false)
const settled = ref(true)
let timer = 0
let asking: AbortController | undefined
let madeFor = ''

const pins = usePins()
const pinned = computed(() => pins.questions.includes(question.value.trim()))
const { data: answer, error, isFetching } = useAnswer(id, question, revision)
const shown = computed(() => (question.value.trim() && !error.value ? answer.value : undefined))
const courses = computed(() => (shown.value ? coursesOf(shown.value) : []))
const whole = computed(
  () => suggestions.value.length === 1 && text.value.endsWith(suggestions.value[0]!.insert),
)
const listening = computed(() => focused.value && suggestions.value.length > 0 && !whole.value)
const stale = computed(() => !settled.value || isFetching.value)

useAddress(
  'q',
  () => question.value.trim() || undefined,
  (q) => {
    // A place without a question in its address leaves the one that stands.
    if (q !== undefined) text.value = question.value = q
  },
  { everywhere: true },
)

function typed(): void {
  open.value = false
  settled.value = false
  clearTimeout(timer)
  timer = window.setTimeout(ask, PAUSE_MS)
  void complete()
}

function ask(): void {
  settled.value = true
  question.value = text.value
}

/** Ask for completions of what is typed now. They are kept with the text they were made for. */
async function complete(): Promise<void> {
  asking?.abort()
  asking = new AbortController()
  chosen.value = -1
  const typedNow = text.value
  try {
    suggestions.value = await data(
      api.GET('/api/networks/{network_id}/completions', {
        params: { path: { network_id: id.value }, query: { q: typedNow } },
        signal: asking.signal,
      }),
    )
    madeFor = typedNow
  } catch {
    // A newer key stroke has asked again, or the server is away, which the answer will tell.
  }
}

// Tab takes the first completion of what was typed until then, as soon as it is there: the hand is quicker than the list.
const tabs: { typed: string }[] = []
async function takeFirst(): Promise<void> {
  if (tabs.push({ typed: text.value }) > 1) return
  while (tabs.length) {
    const tab = tabs[0]!
    const first = (await completionsOf(tab.typed))[0]
    tabs.shift()
    if (!first || !text.value.startsWith(tab.typed)) continue
    const taken = (whole: string) =>
      `${tab.typed.slice(0, first.start)}${first.insert} ${whole.slice(tab.typed.length).trimStart()}`
    text.value = taken(text.value)
    for (const later of tabs) if (later.typed.startsWith(tab.typed)) later.typed = taken(later.typed)
    typed()
  }
}

async function completionsOf(q: string): Promise<Suggestion[]> {
  if (madeFor === q) return suggestions.value
  const path = { network_id: id.value }
  return data(api.GET('/api/networks/{network_id}/completions', { params: { path, query: { q } } })).catch(
    () => [],
  )
}

/** No more suggestions until the next key stroke, also none that are still on their way. */
function quiet(): void {
  asking?.abort()
  madeFor = text.value
  suggestions.value = []
}

async function accept(suggestion: Suggestion): Promise<void> {
  const start = madeFor === text.value ? suggestion.start : wordStart(text.value)
  text.value = `${text.value.slice(0, start)}${suggestion.insert} `
  await nextTick()
  input.value?.focus()
  typed()
}

function key(event: KeyboardEvent): void {
  const count = suggestions.value.length
  if (event.key === 'ArrowDown' && listening.value) chosen.value = (chosen.value + 1) % count
  else if (event.key === 'ArrowUp' && listening.value) chosen.value = (chosen.value - 1 + count) % count
  else if (
    event.key === 'Tab' &&
    !event.shiftKey &&
    (listening.value || madeFor !== text.value) &&
    text.value &&
    !text.value.endsWith(' ')
  )
    void (chosen.value >= 0 ? accept(suggestions.value[chosen.value]!) : takeFirst())
  else if (event.key === 'Enter' && listening.value && chosen.value >= 0)
    void accept(suggestions.value[chosen.value]!)
  else if (event.key === 'Enter') {
    clearTimeout(timer)
    ask()
    quiet()
    open.value = true
  } else if (event.key === 'Escape') {
    if (listening.value) quiet()
    else if (open.value) open.value = false
    else input.value?.blur()
  } else return
  event.preventDefault()
}

function follow(q: string): void {
  text.value = q
  quiet()
  ask()
  open.value = true
}

useKeys('Everywhere', [
  {
    on: ['/'],
    says: 'ask who may reach what',
    act: () => {
      input.value?.focus()
      input.value?.select()
    },
  },
  {
    on: ['p'],
    says: 'pin the answer, or take the pin out',
    when: () => shown.value !== undefined,
    act: () => pins.toggle(question.value),
  },
])

function outside(event: PointerEvent): void {
  if (!box.value?.contains(event.target as Node)) open.value = false
}

onMounted(() => window.addEventListener('pointerdown', outside))
onBeforeUnmount(() => window.removeEventListener('pointerdown', outside))
defineExpose({ follow })
</script>

<template>
  <div ref="box" class="ask">
    <div class="field" :class="{ focused }">
      <kbd aria-hidden="true">/</kbd>
      <input
        ref="input"
        v-model="text"
        class="text"
        type="text"
        spellcheck="false"
        autocomplete="off"
        role="combobox"
        aria-label="Ask who may reach what"
        aria-controls="ask-suggestions"
        :aria-expanded="listening"
        :aria-activedescendant="chosen >= 0 ? `ask-suggestion-${chosen}` : undefined"
        :placeholder="`Ask: ${example}`"
        @input="typed"
        @keydown="key"
        @focus="((focused = true), complete())"
        @blur="focused = false"
      />
      <button v-if="shown" class="verdict plain" :class="{ stale }" aria-live="polite" @click="open = !open">
        <span class="glyphs">
          <LineCode v-for="course in courses" :key="course" :course="course" small class="glyph" />
        </span>
        <span class="sentence" :title="shown.sentence" data-testid="verdict">{{ shown.sentence }}</span>
        <kbd v-if="!open">↵ course</kbd>
      </button>
      <button
        v-if="shown"
        class="plain pin"
        :aria-pressed="pinned"
        :title="pinned ? 'Take the pin out' : 'Keep this question in sight'"
        @click="pins.toggle(question)"
      >
        {{ pinned ? 'unpin' : 'pin' }} <kbd>p</kbd>
      </button>
      <span v-else-if="error && settled && !listening" class="wrong" role="status">{{ error.message }}</span>
    </div>
    <ul v-if="listening" id="ask-suggestions" class="suggestions" role="listbox">
      <li
        v-for="(suggestion, index) in suggestions"
        :id="`ask-suggestion-${index}`"
        :key="suggestion.insert + suggestion.kind"
        role="option"
        :aria-selected="index === chosen"
        :class="{ chosen: index === chosen }"
        @pointerdown.prevent="accept(suggestion)"
      >
        <span>{{ suggestion.insert }}</span>
        <span class="soft small kind">{{ suggestion.kind }}</span>
        <span class="raw soft">{{ suggestion.detail }}</span>
      </li>
    </ul>
    <AnswerSheet v-if="open && shown && !listening" :answer="shown" @ask="follow" @close="open = false" />
  </div>
</template>

<style scoped>
.ask {
  position: relative;
  flex: 1;
  min-width: 0;
}
.field {
  display: flex;
  align-items: center;
  gap: 10px;
  height: 38px;
  padding: 0 10px;
  background: var(--band-field);
  border-bottom: 2px solid var(--depth-3);
  border-radius: 2px 2px 0 0;
}
.field.focused {
  border-bottom-color: var(--focus);
}
.field kbd {
  color: var(--band-soft);
  flex: none;
}
.text {
  flex: 1 1 300px;
  min-width: 200px;
  color: var(--band-text);
  background: none;
  border: 0;
  outline: 0;
  font: 600 14px var(--sans);
}
.text::placeholder {
  color: var(--band-soft);
  font-weight: 400;
  opacity: 1;
}
.verdict {
  display: flex;
  align-items: center;
  gap: 10px;
  flex: 0 1 auto;
  min-width: 0;
  max-width: 62%;
  font-size: 13.5px;
}
.verdict.stale {
  opacity: 0.55;
}
.pin {
  flex: none;
  font-size: 13px;
  color: var(--band-soft);
}
.glyphs {
  display: flex;
  gap: 8px;
  flex: none;
}
.glyph {
  width: 46px;
  --allow: #8fd0dc;
  --drop: #f3a07c;
  --reject: #d9a7d2;
  --undecided: #b9bdb7;
}
.sentence,
.wrong {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.wrong {
  color: var(--band-soft);
  font-size: 13px;
  max-width: 60%;
}
.suggestions {
  position: absolute;
  z-index: 2000;
  top: 40px;
  left: 0;
  min-width: 460px;
  padding: 4px 0;
  list-style: none;
  color: var(--ink);
  background: var(--sheet);
  border: 1px solid var(--depth-4);
  box-shadow: 0 6px 18px rgb(0 0 0 / 20%);
}
.suggestions li {
  display: flex;
  gap: 12px;
  align-items: baseline;
  padding: 5px 14px;
  cursor: pointer;
}
.suggestions li.chosen,
.suggestions li:hover {
  background: var(--selected);
}
.kind {
  min-width: 70px;
}
.suggestions .raw {
  margin-left: auto;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  max-width: 240px;
}
</style>
