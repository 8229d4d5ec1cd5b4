<script setup lang="ts">
/** Rules: what is the order, what does each rule decide here and now, what happens if I change it? */
import { useVirtualizer } from '@tanstack/vue-virtual'
import { type ComponentPublicInstance, computed, nextTick, onBeforeUnmount, ref, toRaw, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { Problem, type Edit, type Rule, type RuleRow, type Shapes } from '@/api/client'
import { useEdits, usePolicy } from '@/api/queries'
import ConsequenceList from '@/editing/ConsequenceList.vue'
import DropPreview from '@/places/rules/DropPreview.vue'
import LineCode from '@/chart/LineCode.vue'
import ListMap from '@/places/rules/ListMap.vue'
import PolicyAbout from '@/places/rules/PolicyAbout.vue'
import RuleAbout from '@/places/rules/RuleAbout.vue'
import RuleEditor from '@/places/rules/RuleEditor.vue'
import RuleLine from '@/places/rules/RuleLine.vue'
import RulesTogether from '@/places/rules/RulesTogether.vue'
import RulesTidied from '@/places/rules/RulesTidied.vue'
import TideGauge from '@/chart/TideGauge.vue'
import { courseOfDefault } from '@/chart/courses'
import { runs } from '@/editing/changes'
import { useCarry } from '@/places/rules/drag'
import { findRules, type Sieve, SIEVES } from '@/places/rules/find'
import { gap as gapPlace, moveTo, placeOfGap } from '@/places/rules/positions'
import { gapAtLine, type Line, linesOf, pick, type Section, sectionAt, swapped } from '@/places/rules/lines'
import { type Draft, draftOf, type Field, ruleOf } from '@/places/rules/ruleDraft'
import { attachment, otherwise, saysMore } from '@/words'
import { useCarrying } from '@/places/rules/carrying'
import { useConsequence } from '@/editing/consequence'
import { useOnePolicy } from '@/frame/onePolicy'
import { useFrame } from '@/frame/frame'
import { usePins } from '@/frame/pins'
import { useSession } from '@/api/session'
import { address, useAddress } from '@/ui/address'
import { useKeys } from '@/ui/keys'
import { inTurn } from '@/ui/turn'
import { leftAt, mayLeave } from '@/editing/unsaved'

/** A rule being written, as it is kept through a reload of the page. */
export interface Left {
  id: number | null
  index: number
  works: boolean
  draft: Draft
  base: { draft: Draft; ver: number | null }
}

const ROW_PX = 44
const TOLD_PX = 26
const SECTION_PX = 34
const DEFAULT_PX = 78

const { id: network, network: whole, names, revision } = useFrame()
const session = useSession()
const carrying = useCarrying()
const route = useRoute()
const router = useRouter()

const policyId = useOnePolicy('rules')
const { data: policy, error } = usePolicy(network, policyId, revision)
const edits = useEdits(network, policyId)
const writtenAt = computed(() => `rule ${network.value} ${policyId.value}`)
// Ten thousand rows are looked through at every move of a drag: plain objects, replaced as a whole.
const rows = computed(() => toRaw(policy.value?.rows) ?? [])

// Finding: the list shows what fits, positions stay those of the whole list; nothing is dragged meanwhile.
const finding = ref(false)
const text = ref('')
const sieve = ref<Sieve>('')
const finder = ref<HTMLInputElement>()
const folded = ref(new Set<number>())
const lines = computed<Line[]>(() =>
  finding.value
    ? findRules(rows.value, names.value, text.value, sieve.value).map((row) => ({ kind: 'rule', row }))
    : linesOf(rows.value, policy.value?.sections ?? [], folded.value),
)
/** The rules that are not folded away or sifted out, in order. */
const shown = computed(() => lines.value.flatMap((line) => (line.kind === 'rule' ? [line.row] : [])))
const writable = computed(() => session.me !== null && session.me.role !== 'viewer')

const scroller = ref<HTMLElement>()
const chosen = ref<number | null>(null)
const onDefault = ref(false)
/** The rule being written: an existing one, or a new one (id null) for the gap at `index`. */
const writing = ref<{
  id: number | null
  index: number
  works: boolean
  rule: Rule | null
  stamp: number
  /** What was written when the page was last loaded. */
  kept: Left | null
  /** It was an existing rule, which somebody deleted meanwhile. */
  gone: boolean
} | null>(null)
let stamp = 0
const notice = ref('')
const asked = ref<RuleRow | null>(null)
const sure = ref<ComponentPublicInstance>()
// The question takes the keyboard at once: a quick Enter answers it, not the row behind it.
watch(asked, async (row) => {
  if (!row) {
    backToRow()
    return
  }
  await nextTick()
  await nextTick()
  ;(sure.value?.$el as HTMLElement | undefined)?.focus()
})

// A long list comes before what its rules decide is known; when that is worked out, it comes again.
watch(
  () =>
    policy.value?.pending && whole.value?.policies.find((p) => p.id === policyId.value)?.pending === false,
  (ready) => ready && edits.refresh(),
)

// Tidying: a review of what could go, step by step.
const tidying = ref(false)

/** One edit after the other, each about the rules as they are when its turn comes; what is refused is told. */
function inOrder(act: () => Promise<unknown>): Promise<void> {
  return inTurn(async () => {
    try {
      notice.value = ''
      await act()
    } catch (error) {
      tell(error)
    }
  })
}
const rowOf = (id: number) => rows.value.find((r) => r.id === id)

function tidyOut(rules: number[], into: number[] = [], merge = false): Promise<void> {
  return inOrder(() => edits.tidy.mutateAsync({ rules, into, merge }))
}

/** Write another form of a rule. */
function rewrite(id: number, change: (rule: Draft) => void): Promise<void> {
  return inOrder(async () => {
    const row = rowOf(id)
    if (!row) return
    const rule = draftOf(row.rule)
    change(rule)
    await edits.change.mutateAsync({ id, ver: row.ver, rule: ruleOf(rule) })
  })
}

function keepRule(id: number): Promise<void> {
  return rewrite(id, (rule) => (rule.kept = true))
}

function takeOff(row: RuleRow, field: Field, members: readonly string[]): Promise<void> {
  return rewrite(row.id, (rule) => (rule[field] = rule[field].filter((m) => !members.includes(m))))
}

const selected = computed(() => rows.value.find((row) => row.id === chosen.value) ?? null)
const lineOf = (id: number | null) =>
  lines.value.findIndex((line) => line.kind === 'rule' && line.row.id === id)

// Several rules at once: what is done to them is one step.
const picked = ref<Set<number>>(new Set())
const panel = ref<InstanceType<typeof RulesTogether>>()
const together = computed(() => rows.value.filter((row) => picked.value.has(row.id)))
watch(rows, () => {
  const there = new Set(rows.value.map((row) => row.id))
  if ([...picked.value].some((id) => !there.has(id)))
    picked.value = new Set([...picked.value].filter((id) => there.has(id)))
})

function pickRule(id: number, how: 'one' | 'toggle' | 'range'): void {
  picked.value = pick(
    shown.value.map((row) => row.id),
    picked.value,
    chosen.value,
    id,
    how,
  )
}

async function actTogether(
  act: Shapes['ManyRules']['act'],
  more: { field?: Field; member?: string } = {},
): Promise<void> {
  await inOrder(async () => {
    await edits.many.mutateAsync({
      rules: together.value.map((row) => [row.id, row.ver] as [number, number]),
      act,
      place: null,
      field: more.field ?? null,
      member: more.member ?? null,
    })
    if (act === 'delete') picked.value = new Set()
  })
}

/** To a place, told when its turn comes. */
async function moveTogether(to: number | (() => number)): Promise<void> {
  await inOrder(async () => {
    const place = typeof to === 'number' ? to : to()
    const others = rows.value.filter((row) => !picked.value.has(row.id))
    const at = others.findIndex((row) => row.position >= place)
    await edits.many.mutateAsync({
      rules: together.value.map((row) => [row.id, row.ver] as [number, number]),
      act: 'move',
      place: gapPlace(others, at < 0 ? others.length : at),
      field: null,
      member: null,
    })
  })
}

// Sections: named runs of rules that fold.
const naming = ref<{
  id: number | null
  ver: number
  name: string
  description: string
  before: number | null
} | null>(null)
const namingProblem = ref('')

function fold(section: Section): void {
  const next = new Set(folded.value)
  if (!next.delete(section.id)) next.add(section.id)
  folded.value = next
}

async function nameSection(section: Section | null): Promise<void> {
  if (!writable.value) return
  namingProblem.value = ''
  naming.value = section
    ? { ...section, before: null }
    : { id: null, ver: 0, name: '', description: '', before: selected.value?.id ?? null }
  await nextTick()
  await nextTick()
  document.getElementById('section-name')?.focus()
}

async function saveSection(): Promise<void> {
  const now = naming.value!
  try {
    if (now.id === null) await edits.addSection.mutateAsync({ name: now.name, before: now.before })
    else
      await edits.renameSection.mutateAsync({
        id: now.id,
        ver: now.ver,
        name: now.name,
        description: now.description,
      })
    naming.value = null
  } catch (error) {
    namingProblem.value =
      error instanceof Problem ? (error.problems[0]?.message ?? error.detail) : String(error)
  }
}

function dropSection(section: Section): Promise<void> {
  return inOrder(() => edits.deleteSection.mutateAsync({ id: section.id, ver: section.ver }))
}

function height(index: number): number {
  const line = lines.value[index]
  if (!line) return DEFAULT_PX
  if (line.kind === 'section') return SECTION_PX
  const { row } = line
  return ROW_PX + (saysMore(row) ? TOLD_PX : 0)
}

const virtual = useVirtualizer(
  computed(() => ({
    count: policy.value ? lines.value.length + 1 : 0,
    getScrollElement: () => scroller.value ?? null,
    estimateSize: height,
    overscan: 5,
    getItemKey: (index: number) => keyOf(lines.value[index]),
  })),
)
const keyOf = (line: Line | undefined) =>
  !line ? 'otherwise' : line.kind === 'rule' ? line.row.id : `section-${line.section.id}`
watch(lines, () => virtual.value.measure())
const items = computed(() => virtual.value.getVirtualItems())
const drawn = computed(() => items.value.map((item) => ({ item, line: lines.value[item.index] })))
/** How many rules there are up to a line. */
const before = computed(() => {
  let count = 0
  return lines.value.map((line) => (line.kind === 'rule' ? count++ : count))
})
const firstShown = computed(() => {
  void items.value
  return before.value[virtual.value.range?.startIndex ?? 0] ?? 0
})
const lastShown = computed(() =>
  Math.min(before.value[virtual.value.range?.endIndex ?? 0] ?? shown.value.length, shown.value.length - 1),
)

const { carried, gap, grip, byKeys, lift, put, back } = useCarry({
  list: () => scroller.value,
  gapAt(offset) {
    const item = virtual.value.getVirtualItemForOffset(offset)
    if (!item) return 0
    return gapAtLine(lines.value[item.index], offset > item.start + item.size / 2, rows.value.length)
  },
  drop: (id, at) => void move(id, placeOfGap(rows.value, id, at)),
})
const carriedRow = computed(() => rows.value.find((row) => row.id === carried.value) ?? null)
const target = computed(() => (carried.value === null ? 0 : placeOfGap(rows.value, carried.value, gap.value)))
/** Where the carried rule, or the new one being written, would stand. */
const gapOffset = computed(() => topOf(carriedRow.value ? gap.value : (writing.value?.index ?? 0)))
/** For each rule, counted from 0, its line; -1 where it is folded away. */
const lineOfRule = computed(() => {
  const found = new Int32Array(rows.value.length).fill(-1)
  lines.value.forEach((line, at) => line.kind === 'rule' && (found[line.row.position - 1] = at))
  return found
})
/** The height at which a rule, counted from 0, or the next one in sight begins. */
function topOf(index: number): number {
  let line = -1
  for (let at = index; at < lineOfRule.value.length && line < 0; at++) line = lineOfRule.value[at]!
  const item = virtual.value.measurementsCache[line < 0 ? lines.value.length : line]
  return item ? item.start : virtual.value.getTotalSize()
}

// What the edit in hand would do: carried, written, about to be deleted, or a rule looked at as if it were off.
const pins = usePins()
const writtenEdit = ref<Edit | null>(null)
const { told, stale, failure, about } = useConsequence('rules', edits.consequence)
type Hand = 'carried' | 'written' | 'asked' | 'together' | 'looked at' | ''
const inHand = computed<[Hand, Edit | null]>(() => {
  const carry = carriedRow.value
  if (carry)
    return ['carried', { act: 'move', rules: [carry.id], place: moveTo(rows.value, carry.id, target.value) }]
  if (asked.value) return ['asked', { act: 'delete', rules: [asked.value.id] }]
  if (writing.value) return ['written', writtenEdit.value]
  if (tidying.value) return ['', null]
  if (together.value.length > 1)
    return ['together', { act: 'delete', rules: together.value.map((row) => row.id) }]
  const row = selected.value
  if (row) return ['looked at', { act: 'switch', rules: [row.id], enabled: !row.rule.enabled }]
  return ['', null]
})
watch(
  () =>
    JSON.stringify([
      [inHand.value[0], writing.value?.stamp],
      inHand.value[1],
      policyId.value,
      revision.value,
    ]),
  (_, before) => {
    const [hand, edit] = inHand.value
    // The edit in hand ends with its form: what was told of one is never shown at the next.
    const form = JSON.stringify([hand, writing.value?.stamp])
    if (before === undefined || JSON.stringify(JSON.parse(before)[0]) !== form) void about(null)
    pins.inHand =
      edit && policyId.value !== null && ['carried', 'asked', 'written'].includes(hand)
        ? { policy: policyId.value, edit }
        : null
    if (edit || hand !== 'written') void about(edit)
  },
  { immediate: true },
)
onBeforeUnmount(() => (pins.inHand = null))
const toldOf = (hand: Hand) => (inHand.value[0] === hand ? told.value : null)

/** Where the rule in hand would work, drawn beside the list: where each run of places begins and ends. */
const reach = computed(() => {
  const advice = (toldOf('carried') ?? toldOf('written'))?.look?.advice
  if (!advice || finding.value) return []
  const own = carriedRow.value?.id ?? writing.value?.id ?? null
  const at = own === null ? rows.value.length : rows.value.findIndex((row) => row.id === own)
  const top = (place: number) => topOf(place - 1 < at ? place - 1 : place)
  const places = rows.value.length + (own === null ? 1 : 0)
  return runs(advice, places).map((run) => ({
    ...run,
    top: Math.max(0, top(run.from) - 6),
    height: top(run.to) - top(run.from) + 12,
  }))
})
const heldDead = computed(() => toldOf('carried')?.look?.decided.decides === 'none' && !stale.value)

function hold(place: number): void {
  const row = carriedRow.value
  if (!row) return
  const to = Math.min(Math.max(place, 1), rows.value.length)
  gap.value = to <= row.position ? to - 1 : to
  const line = lineOf(rows.value[Math.min(gap.value, rows.value.length - 1)]?.id ?? null)
  if (line >= 0) virtual.value.scrollToIndex(line, { align: 'auto' })
}

function tell(error: unknown): void {
  notice.value = error instanceof Problem ? error.detail : String(error)
  edits.refresh()
}

/** Whoever goes to a rule sees it. */
function unfold(id: number | null): void {
  const row = rows.value.find((r) => r.id === id)
  const section = row && sectionAt(policy.value?.sections ?? [], row.position)
  if (section && folded.value.has(section.id)) fold(section)
}

async function focusRow(id: number | null, scrollTo = true): Promise<void> {
  chosen.value = id
  onDefault.value = id === null
  unfold(id)
  const index = id === null ? lines.value.length : lineOf(id)
  if (index < 0) return
  if (scrollTo) virtual.value.scrollToIndex(index, { align: 'auto' })
  await nextTick()
  requestAnimationFrame(() =>
    scroller.value
      ?.querySelector<HTMLElement>(id === null ? '[data-otherwise]' : `[data-rule="${id}"]`)
      ?.focus({ preventScroll: true }),
  )
}

/** Put a rule at a place, or so many places on from where it is when its turn comes. */
async function placed(id: number, to: (position: number) => number): Promise<void> {
  const row = rowOf(id)
  if (!row || !writable.value) return
  const place = Math.min(Math.max(to(row.position), 1), rows.value.length)
  if (row.position === place) return
  await edits.move.mutateAsync({ id, ver: row.ver, place: moveTo(rows.value, id, place) })
  await focusRow(id)
}
const move = (id: number, place: number) => inOrder(() => placed(id, () => place))
const moveBy = (id: number, steps: number) => inOrder(() => placed(id, (position) => position + steps))

function toggle(row: RuleRow): Promise<void> {
  return rewrite(row.id, (rule) => (rule.enabled = !rule.enabled))
}

async function remove(): Promise<void> {
  const id = asked.value?.id
  asked.value = null
  await inOrder(async () => {
    const row = id === undefined ? undefined : rowOf(id)
    if (!row) return
    const next = rows.value[row.position] ?? rows.value[row.position - 2]
    await edits.remove.mutateAsync({ id: row.id, ver: row.ver })
    await focusRow(next?.id ?? null)
  })
}

function write(
  id: number | null,
  index: number,
  more: { works?: boolean; rule?: Rule; kept?: Left } = {},
): void {
  if (!writable.value || !mayLeave()) return
  open(id, index, more)
}

function open(id: number | null, index: number, more: { works?: boolean; rule?: Rule; kept?: Left }): void {
  writtenEdit.value = null
  writing.value = {
    id,
    index,
    works: more.works ?? false,
    rule: more.rule ?? null,
    stamp: ++stamp,
    kept: more.kept ?? null,
    gone: false,
  }
}

function close(): void {
  writing.value = null
  writtenEdit.value = null
  backToRow()
}

/** The focus goes back to what is chosen; where nothing is, the keys work all the same. */
function backToRow(): void {
  if (chosen.value !== null || onDefault.value) void focusRow(chosen.value, false)
}

// Somebody deleted the rule that is being written: what is written can be added as a new one.
watch(
  () => writing.value?.id != null && policy.value?.id === policyId.value && !rowOf(writing.value.id),
  (gone) => {
    if (gone) writing.value = { ...writing.value!, id: null, gone: true }
  },
)
/** What was being written here when the page was last loaded. */
function resume(): void {
  const left = leftAt<Left>(writtenAt.value)
  if (!left || !writable.value) return
  const there = left.id === null || rowOf(left.id)
  open(left.id, Math.min(left.index, rows.value.length), { works: left.works, kept: left })
  if (!there) writing.value = { ...writing.value!, id: null, gone: true }
}

/**
 * A new rule right before the row in focus, or after the last rule when the default is. Where it `works`: if
 * another rule would take some of it there, it moves up to the lowest place where none does.
 */
function addHere(works: boolean): void {
  write(null, selected.value ? selected.value.position - 1 : rows.value.length, { works })
}

/** A copy right behind the original, to change one thing in. */
function copy(row: RuleRow): void {
  const name = `${row.rule.name} copy`
  write(null, row.position, { rule: { ...row.rule, name } })
}

function carry(row: RuleRow, to: number, swap: boolean): void {
  const copied = draftOf(row.rule)
  carrying.rule = ruleOf(swap ? swapped(copied) : copied)
  void router.push({ name: 'rules', params: { network: network.value, policy: to }, query: route.query })
}

async function find(): Promise<void> {
  finding.value = true
  await nextTick()
  finder.value?.focus()
}

function findNoMore(): void {
  finding.value = false
  text.value = ''
  sieve.value = ''
  if (chosen.value !== null) void focusRow(chosen.value)
}

const written = computed(() => rows.value.find((row) => row.id === writing.value?.id) ?? null)
const writingPlace = computed(() => {
  if (!writing.value) return { after: null, before: null }
  const { id, index } = writing.value
  return id === null ? gapPlace(rows.value, index) : moveTo(rows.value, id, index + 1)
})

async function save(rule: Rule, ver: number | null): Promise<void> {
  const now = writing.value!
  if (now.id === null) {
    const edited = await inTurn(() => edits.add.mutateAsync({ rule, place: writingPlace.value }))
    close()
    await focusRow(edited.rule_id ?? null)
    return
  }
  const id = now.id
  // The version that was read when writing began, not the newest: what somebody saved since is not overwritten.
  await inTurn(() => {
    const place = rowOf(id)?.position === now.index + 1 ? null : writingPlace.value
    return edits.change.mutateAsync({ id, ver: ver!, rule, place })
  }).catch((error) => {
    if (error instanceof Problem && [404, 409].includes(error.status)) edits.refresh()
    throw error
  })
  close()
  await focusRow(id)
}

function select(row: RuleRow, event: MouseEvent): void {
  const how = event.shiftKey ? 'range' : event.ctrlKey || event.metaKey ? 'toggle' : 'one'
  if (how !== 'one') getSelection()?.removeAllRanges()
  pickRule(row.id, how)
  if (writing.value && writing.value.id !== row.id && !mayLeave()) return
  writing.value = null
  void focusRow(row.id, false)
}

/** A rule carried by keys: the arrows hold it somewhere else, Enter puts it down. */
function carriedKey(event: KeyboardEvent): void {
  if ((event.target as HTMLElement).closest('input, textarea')) return
  const steps: Record<string, number> = { ArrowUp: -1, ArrowDown: 1, PageUp: -10, PageDown: 10 }
  if (event.key in steps) hold(target.value + steps[event.key]!)
  else if (event.key === 'Home') hold(1)
  else if (event.key === 'End') hold(rows.value.length)
  else if (event.key === 'Enter') put()
  else return
  event.preventDefault()
}
// Listened to on the whole window: the row that is held may have left the part of the list that is drawn, and the focus with it.
watch(byKeys, (held) =>
  held ? window.addEventListener('keydown', carriedKey) : window.removeEventListener('keydown', carriedKey),
)
onBeforeUnmount(() => window.removeEventListener('keydown', carriedKey))

const busy = computed(
  () => !!(writing.value || carriedRow.value || selected.value || tidying.value || together.value.length > 1),
)

// Keys. They are those of the place, not of a row: whatever has the focus, they do this.
// Not while a rule is written: a letter that misses its field must not do anything to the list.
const mayKey = () =>
  !byKeys.value && !asked.value && !naming.value && !writing.value && policy.value !== undefined
const mayWrite = () => mayKey() && writable.value
const row = () => selected.value
const several = () => picked.value.size > 1
const at = () =>
  selected.value
    ? shown.value.findIndex((r) => r.id === chosen.value)
    : onDefault.value
      ? shown.value.length
      : -1
const to = (index: number) =>
  focusRow(shown.value[Math.min(Math.max(index, 0), shown.value.length)]?.id ?? null)
function stretch(index: number): void {
  const next = shown.value[index]
  if (!next) return
  pickRule(next.id, 'range')
  void focusRow(next.id)
}
const oneRow = () => mayWrite() && row() !== null

useKeys('In the list of rules', [
  {
    on: ['ArrowDown'],
    shows: ['ArrowUp', 'ArrowDown'],
    says: 'the rule above, below',
    when: mayKey,
    act: () => to(at() + 1),
  },
  { on: ['ArrowUp'], when: mayKey, act: () => to(at() - 1) },
  { on: ['PageDown'], when: mayKey, act: () => to(at() + 10) },
  { on: ['PageUp'], when: mayKey, act: () => to(at() - 10) },
  { on: ['Home'], shows: ['Home', 'End'], says: 'the first, the last', when: mayKey, act: () => to(0) },
  { on: ['End'], when: mayKey, act: () => to(shown.value.length) },
  { on: ['f'], says: 'find', when: mayKey, act: find },
  {
    on: ['Shift+ArrowDown'],
    shows: ['Shift+ArrowDown', ' '],
    says: 'choose several',
    when: mayKey,
    act: () => stretch(at() + 1),
  },
  { on: ['Shift+ArrowUp'], when: mayKey, act: () => stretch(at() - 1) },
  { on: [' '], when: () => mayKey() && row() !== null, act: () => pickRule(row()!.id, 'toggle') },
  {
    on: ['Ctrl+a'],
    says: 'choose all',
    when: mayKey,
    act: () => (picked.value = new Set(shown.value.map((r) => r.id))),
  },
  {
    on: ['Escape'],
    says: 'choose none',
    when: mayKey,
    act: () => {
      if (picked.value.size) picked.value = new Set()
      else {
        chosen.value = null
        onDefault.value = false
      }
    },
  },
  { on: ['t'], says: 'what could go: tidy', when: mayKey, act: () => (tidying.value = !tidying.value) },
])
useKeys('Writing rules', [
  { on: ['Escape'], when: () => !!writing.value && !naming.value, act: () => mayLeave() && close() },
  { on: ['n'], says: 'a new rule, where it works', when: mayWrite, act: () => addHere(true) },
  { on: ['N'], says: 'a new rule, just here', when: mayWrite, act: () => addHere(false) },
  { on: ['Enter'], says: 'edit the rule', when: oneRow, act: () => write(row()!.id, row()!.position - 1) },
  { on: ['c'], says: 'a copy of it', when: oneRow, act: () => copy(row()!) },
  {
    on: ['x'],
    says: 'switch it off or on; all that are chosen',
    when: () => mayWrite() && several(),
    act: () => actTogether(together.value.every((r) => r.rule.enabled) ? 'disable' : 'enable'),
  },
  { on: ['x'], when: oneRow, act: () => toggle(row()!) },
  {
    on: ['Delete'],
    says: 'delete it, or them',
    when: () => mayWrite() && several(),
    act: () => panel.value?.askDelete(),
  },
  { on: ['Delete'], when: oneRow, act: () => (asked.value = row()) },
  {
    on: ['m'],
    says: 'take it into the hand; arrows hold it, Enter puts it down',
    when: () => oneRow() && !finding.value,
    act: () => lift(row()!.id, row()!.position - 1),
  },
  {
    on: ['Alt+ArrowUp'],
    shows: ['Alt+ArrowUp', 'Alt+ArrowDown'],
    says: 'move it, or them, by one',
    when: () => mayWrite() && several(),
    act: () => moveTogether(() => together.value[0]!.position - 1),
  },
  {
    on: ['Alt+ArrowDown'],
    when: () => mayWrite() && several(),
    act: () => moveTogether(() => together.value.at(-1)!.position + 2),
  },
  { on: ['Alt+ArrowUp'], when: oneRow, act: () => moveBy(row()!.id, -1) },
  { on: ['Alt+ArrowDown'], when: oneRow, act: () => moveBy(row()!.id, 1) },
  {
    on: ['Alt+Home'],
    shows: ['Alt+Home', 'Alt+End'],
    says: 'move it to the top, to the end',
    when: oneRow,
    act: () => move(row()!.id, 1),
  },
  { on: ['Alt+End'], when: oneRow, act: () => move(row()!.id, rows.value.length) },
  { on: ['s'], says: 'begin a section here', when: mayWrite, act: () => nameSection(null) },
])

function ask(q: string): void {
  address(router, { q })
}

// The chosen rule and what is looked for stand in the address.
const sought = ref<string>()
useAddress(
  'rule',
  () => (chosen.value !== null ? String(chosen.value) : onDefault.value ? 'otherwise' : sought.value),
  (rule) => {
    sought.value = rule
    reveal()
  },
)
useAddress(
  'find',
  () => (finding.value ? `${sieve.value}:${text.value}` : undefined),
  (found) => {
    const at = found?.indexOf(':') ?? -1
    finding.value = found !== undefined
    sieve.value = (SIEVES.find((s) => s.value === found?.slice(0, at))?.value ?? '') as Sieve
    text.value = found?.slice(at + 1) ?? ''
  },
)

/** Show the rule that the address names, as soon as there are rules. */
function reveal(): void {
  if (policy.value?.id !== policyId.value) return
  const rule = sought.value
  sought.value = undefined
  if (rule === 'otherwise') void focusRow(null)
  else if (rule !== undefined && rowOf(Number(rule))) void focusRow(Number(rule))
  else chosen.value = null
}

let resumed: number | null = null
// Another policy starts clean.
watch(
  [policyId, policy],
  ([id], [was]) => {
    if (id !== was) {
      picked.value = new Set()
      if (was !== undefined) chosen.value = null
      onDefault.value = false
      writing.value = null
      notice.value = ''
      tidying.value = false
      if (was !== undefined) {
        finding.value = false
        text.value = ''
        sieve.value = ''
      }
    }
    if (policy.value?.id !== id) return
    if (sought.value !== undefined) reveal()
    if (resumed !== id) {
      resumed = id
      resume()
    }
    // A rule carried here from another policy is written like a new one, where it works.
    const arriving = carrying.take()
    if (arriving) write(null, rows.value.length, { works: true, rule: arriving })
  },
  { immediate: true },
)
</script>

<template>
  <div v-if="policy" class="rules" :class="{ busy }">
    <header class="head">
      <h1>{{ policy.name }}</h1>
      <span class="soft facts">
        {{ policy.rules.toLocaleString('en') }} {{ policy.rules === 1 ? 'rule' : 'rules' }}, otherwise
        {{ otherwise(policy)
        }}<template v-if="policy.pending"> · what they decide is being worked out</template>
        <strong v-if="!policy.attachments.length" class="warning"
          >· attached nowhere, so it does nothing</strong
        >
        <template v-else> · {{ policy.attachments.map(attachment).join(' · ') }}</template>
      </span>
      <button class="plain add" @click="find">find <kbd>f</kbd></button>
      <button class="plain add" :aria-pressed="tidying" @click="tidying = !tidying">tidy <kbd>t</kbd></button>
      <button v-if="writable" class="plain add" @click="nameSection(null)">section <kbd>s</kbd></button>
      <button v-if="writable" class="plain add" @click="addHere(true)">add <kbd>n</kbd></button>
    </header>
    <p v-if="notice" class="notice" role="alert">
      {{ notice }} <button class="link" @click="notice = ''">close</button>
    </p>
    <div v-if="finding" class="finding">
      <input
        ref="finder"
        v-model="text"
        class="find"
        type="search"
        placeholder="name, address, port, words"
        aria-label="Find rules"
        @keydown.esc="findNoMore"
        @keydown.enter.prevent="focusRow(shown[0]?.id ?? null)"
      />
      <button
        v-for="s in SIEVES"
        :key="s.value"
        class="plain sieve"
        :class="{ on: sieve === s.value }"
        :aria-pressed="sieve === s.value"
        @click="sieve = s.value"
      >
        {{ s.text }}
      </button>
      <span class="soft small">{{ shown.length }} of {{ rows.length }}</span>
      <button class="link small" @click="findNoMore">show all</button>
    </div>
    <div class="body">
      <ListMap
        :rows="shown"
        :from="firstShown"
        :to="lastShown"
        @go="virtual.scrollToIndex(lineOf(shown[$event]?.id ?? null), { align: 'center' })"
      />
      <div
        ref="scroller"
        class="list"
        data-pane
        role="grid"
        :aria-label="`Rules of ${policy.name}`"
        :aria-rowcount="rows.length + 1"
      >
        <div class="extent" role="rowgroup" :style="{ height: `${virtual.getTotalSize()}px` }">
          <div
            v-for="{ item, line } in drawn"
            :key="String(item.key)"
            class="slot"
            role="presentation"
            :style="{ transform: `translateY(${item.start}px)`, height: `${item.size}px` }"
          >
            <RuleLine
              v-if="line?.kind === 'rule'"
              :row="line.row"
              :selected="line.row.id === chosen || picked.has(line.row.id)"
              :lifted="line.row.id === carried"
              :tabbable="
                chosen === null && !onDefault ? line.row.id === shown[0]?.id : line.row.id === chosen
              "
              :writable="writable"
              @click="select(line.row, $event)"
              @dblclick="write(line.row.id, line.row.position - 1)"
              @remove="asked = line.row"
              @grip="writable && !finding && grip(line.row.id, $event)"
              @move="move(line.row.id, $event)"
            />
            <div v-else-if="line" class="section" role="row">
              <button
                class="plain heading"
                :aria-expanded="!folded.has(line.section.id)"
                :title="line.section.description"
                @click="fold(line.section)"
              >
                <span aria-hidden="true" class="turn" :class="{ shut: folded.has(line.section.id) }">⌄</span>
                {{ line.section.name }}
              </button>
              <span class="soft small">{{ line.count === 1 ? '1 rule' : `${line.count} rules` }}</span>
              <template v-if="writable">
                <button class="link small act" @click="nameSection(line.section)">rename</button>
                <button class="link small act" @click="dropSection(line.section)">
                  take the heading away
                </button>
              </template>
            </div>
            <div
              v-else
              class="otherwise"
              role="row"
              data-otherwise
              :tabindex="onDefault || !rows.length ? 0 : -1"
              :aria-rowindex="rows.length + 1"
              @click="focusRow(null, false)"
            >
              <div class="soft small">
                Otherwise · the default of this policy<template v-if="policy.default_decides === 'none'"
                  >; nothing reaches it</template
                >
                <template v-else-if="policy.default_witness">
                  · for example
                  <button class="link raw" @click.stop="ask(policy.default_witness.question)">
                    {{ policy.default_witness.text }}
                  </button>
                </template>
              </div>
              <div class="rule-cells">
                <span class="soft dash" role="gridcell">–</span>
                <TideGauge :decides="policy.default_decides" role="gridcell" />
                <span role="gridcell">otherwise</span>
                <span class="from" role="gridcell">any</span>
                <LineCode :course="courseOfDefault(policy.default)" label="any" role="gridcell" />
                <span role="gridcell">{{ policy.default === 'continue' ? 'the next policy' : 'any' }}</span>
              </div>
            </div>
          </div>
          <div
            v-for="run in reach"
            :key="run.decides"
            class="reach"
            :class="run.decides"
            :style="{ top: `${run.top}px`, height: `${run.height}px` }"
            :data-decides="run.decides"
          />
          <div
            v-if="carriedRow || (writing?.id === null && !finding)"
            class="gap"
            :class="{ dead: heldDead }"
            :style="{ top: `${gapOffset - 1}px` }"
          />
        </div>
      </div>
    </div>
    <aside class="panel" data-pane :aria-label="tidying ? 'Tidy' : busy ? 'Rule' : 'Policy'">
      <DropPreview
        v-if="carriedRow"
        :row="carriedRow"
        :target="target"
        :places="rows.length"
        :told="toldOf('carried')"
        :stale="stale"
        :by-keys="byKeys"
        @put="put"
        @back="back"
        @place="hold"
      />
      <RuleEditor
        v-else-if="writing"
        :key="writing.stamp"
        :network="network"
        :rule="written?.rule ?? writing.rule"
        :where-works="writing.works"
        :rule-id="writing.id"
        :ver="written?.ver ?? null"
        :position="writing.index + 1"
        :place="writingPlace"
        :names="names"
        :told="toldOf('written')"
        :stale="stale"
        :save="save"
        :kept="writing.kept"
        :gone="writing.gone"
        :at="writtenAt"
        @edit="writtenEdit = $event"
        @close="mayLeave() && close()"
        @place="writing.index = $event - 1"
        @ask="ask"
      />
      <RulesTogether
        v-else-if="writable && together.length > 1"
        ref="panel"
        :rows="together"
        :count="rows.length"
        :names="names"
        :busy="edits.many.isPending.value"
        :without="toldOf('together')"
        :stale="stale"
        :act="actTogether"
        @move="moveTogether"
        @clear="picked = new Set()"
      />
      <RulesTidied
        v-else-if="tidying"
        :network="network"
        :policy="policy.id"
        :revision="revision"
        :writable="writable"
        :busy="edits.tidy.isPending.value"
        @out="tidyOut"
        @keep="keepRule"
        @go="focusRow($event)"
        @close="tidying = false"
      />
      <RuleAbout
        v-else-if="selected"
        :network="network"
        :row="selected"
        :writable="writable"
        :without="toldOf('looked at')"
        :stale="stale"
        :others="(whole?.policies ?? []).filter((p) => p.id !== policyId)"
        @carry="(to, swap) => selected && carry(selected, to, swap)"
        @edit="write(selected.id, selected.position - 1)"
        @remove="asked = selected"
        @toggle="toggle(selected)"
        @ask="ask"
        @go="focusRow($event)"
        @move="move(selected.id, $event)"
        @out="tidyOut([selected.id])"
        @take-off="(field, members) => selected && takeOff(selected, field, members)"
      />
      <PolicyAbout v-else :policy="policy" :writable="writable" @go="focusRow($event)" />
    </aside>
    <v-dialog
      :model-value="naming !== null"
      max-width="420"
      :transition="false"
      @update:model-value="naming = null"
    >
      <form v-if="naming" class="sure" @submit.prevent="saveSection">
        <h2>{{ naming.id === null ? 'Begin a section' : 'Rename the section' }}</h2>
        <p class="soft">
          {{
            naming.id === null
              ? `It begins at ${selected ? `${selected.position} ${selected.rule.name}` : 'the end of the list'}.`
              : 'Its rules stay where they are.'
          }}
        </p>
        <v-text-field
          id="section-name"
          v-model="naming.name"
          aria-label="Name of the section"
          :error-messages="namingProblem"
        />
        <div class="buttons">
          <v-btn type="submit" color="primary">{{ naming.id === null ? 'Begin' : 'Rename' }}</v-btn>
          <v-btn variant="outlined" @click="naming = null">Leave</v-btn>
        </div>
      </form>
    </v-dialog>
    <v-dialog
      :model-value="asked !== null"
      max-width="420"
      :transition="false"
      @update:model-value="asked = null"
    >
      <div class="sure">
        <h2>Delete {{ asked?.position }} {{ asked?.rule.name }}?</h2>
        <ConsequenceList :told="toldOf('asked')" :stale="stale" :failure="failure" :few="5" @ask="ask" />
        <div class="buttons">
          <v-btn ref="sure" color="primary" @click="remove">Delete</v-btn>
          <v-btn variant="outlined" @click="asked = null">Keep</v-btn>
        </div>
      </div>
    </v-dialog>
  </div>
  <p v-else-if="error" class="empty problem" role="alert">{{ error.message }}</p>
  <p v-else-if="whole && !whole.policies.length" class="empty soft">
    This network has no policy yet. A policy is an ordered list of rules; the first that matches a packet
    decides.
  </p>
</template>

<style scoped>
.rules {
  height: 100%;
  display: grid;
  grid-template: auto auto auto 1fr / minmax(0, 1fr);
}
/* The panel has its place even when nothing is chosen: choosing a row does not move the list. */
@media (min-width: 1150px) {
  .rules {
    grid-template-columns: minmax(0, 1fr) 332px;
  }
}
@media (max-width: 1149px) {
  .rules.busy {
    grid-template-columns: minmax(0, 1fr) 324px;
  }
  .rules:not(.busy) > .panel {
    display: none;
  }
}
.head {
  grid-column: 1;
  display: flex;
  align-items: baseline;
  gap: 14px;
  padding: 13px 16px 11px;
  border-bottom: 1px solid var(--hair);
}
.facts {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.add {
  color: var(--soft);
}
.notice {
  grid-column: 1;
  grid-row: 2;
  padding: 7px 16px;
  color: var(--warning);
  background: var(--warning-ground);
}
.finding {
  grid-column: 1;
  grid-row: 3;
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 4px 14px;
  padding: 7px 16px;
  border-bottom: 1px solid var(--hair);
}
.sieve {
  color: var(--soft);
  font-size: 13px;
  border-bottom: 2px solid transparent;
}
.sieve.on {
  color: var(--ink);
  border-bottom-color: var(--depth-5);
}
.body {
  grid-column: 1;
  grid-row: 4;
  min-height: 0;
  display: flex;
  gap: 4px;
  padding: 8px 0 0 8px;
}
.list {
  flex: 1;
  min-width: 0;
  overflow-y: auto;
  scrollbar-width: none;
}
.extent {
  position: relative;
}
.slot {
  position: absolute;
  inset: 0 0 auto;
}
.section {
  display: flex;
  align-items: baseline;
  gap: 12px;
  height: 100%;
  padding: 9px 14px 0 12px;
  background: color-mix(in srgb, var(--depth-1) 60%, transparent);
  border-bottom: 1px solid var(--hair);
}
.heading {
  font-weight: 650;
}
.turn {
  display: inline-block;
  width: 14px;
}
.turn.shut {
  transform: rotate(-90deg);
}
.section .act {
  opacity: 0;
}
.section:hover .act,
.section .act:focus-visible {
  opacity: 1;
}
.reach {
  position: absolute;
  left: 0;
  width: 4px;
  pointer-events: none;
}
.reach.all {
  background: var(--depth-5);
}
.reach.part {
  background: var(--depth-3);
}
.reach.none {
  background: repeating-linear-gradient(-45deg, var(--warning) 0 2px, transparent 2px 7px);
}
.gap.dead {
  background: repeating-linear-gradient(90deg, var(--warning) 0 6px, transparent 6px 12px);
}
.gap {
  position: absolute;
  left: 0;
  right: 0;
  height: 3px;
  background: var(--focus);
  pointer-events: none;
}
.otherwise {
  padding: 10px 0 8px;
  border-bottom: 1px solid var(--hair);
  outline-offset: -2px;
}
.otherwise > .small {
  padding-left: 68px;
}
.dash,
.from {
  text-align: right;
}
.panel {
  grid-column: 2;
  grid-row: 1 / -1;
  min-height: 0;
  overflow-y: auto;
  background: var(--sheet);
  border-left: 1px solid var(--hair);
}
.sure {
  padding: 20px;
  background: var(--sheet);
  border-radius: 3px;
}
.buttons {
  display: flex;
  gap: 10px;
  margin-top: 16px;
}
.empty {
  padding: 24px;
  font-size: 14px;
}
</style>
