/** The desk at which the rules of one policy lie: what of them is in sight, what is chosen, and what is being done to them. */
import { computed, type ComputedRef, inject, provide, ref, toRaw, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Rule, RuleRow } from '@/api/client'
import { isLong, useEdits, usePolicy } from '@/api/queries'
import { useSession } from '@/api/session'
import { runs } from '@/editing/changes'
import { leftAt, leftUnder } from '@/editing/unsaved'
import { useFrame } from '@/frame/frame'
import { useOnePolicy } from '@/frame/onePolicy'
import { useActs } from '@/places/rules/acts'
import { useCarrying } from '@/places/rules/carrying'
import { useDrag } from '@/places/rules/drag'
import { findRules, type Sieve, SIEVES } from '@/places/rules/find'
import { gapAtLine, type Line, linesOf, pick, type Section, sectionAt, swapped } from '@/places/rules/lines'
import { useInHand } from '@/places/rules/inHand'
import { type Cursor, editInHand, useMode, type Writing } from '@/places/rules/mode'
import { gap as gapPlace, moveTo, placeOfGap } from '@/places/rules/positions'
import { draftOf, ruleOf } from '@/places/rules/ruleDraft'
import { address, useAddress } from '@/ui/address'
import { useLongList } from '@/ui/longList'
import { saysMore } from '@/words'

const ROW_PX = 44
const TOLD_PX = 26
const SECTION_PX = 34
const DEFAULT_PX = 78

/** Where a form stood that was open when the page was last loaded; what was written in it is kept by the form. */
export interface WrittenWhere {
  index: number
  works: boolean
}

export const writtenAt = (network: number, policy: number | null, id: number | null | 'new' | '') =>
  `rule ${network} ${policy} ${id ?? 'new'}`

function makeDesk() {
  const { id: network, network: whole, names, revision } = useFrame()
  const session = useSession()
  const carrying = useCarrying()
  const route = useRoute()
  const router = useRouter()

  const policyId = useOnePolicy('rules')
  const long = computed(() => isLong(whole.value?.policies.find((p) => p.id === policyId.value)))
  const { data: policy, error, partial } = usePolicy(network, policyId, revision, long)
  const edits = useEdits(network, policyId)
  // Ten thousand rows are looked through at every move of a drag: plain objects, replaced as a whole.
  const rows = computed(() => toRaw(policy.value?.rows) ?? [])
  // Of a list that is only begun nothing can be changed: what stands behind is not known yet.
  const writable = computed(() => session.me !== null && session.me.role !== 'viewer' && !partial.value)

  // A long list comes before what its rules decide is known; when that is worked out, it comes again.
  watch(
    () =>
      policy.value?.pending && whole.value?.policies.find((p) => p.id === policyId.value)?.pending === false,
    (ready) => ready && edits.refresh(),
  )

  // Finding: the list shows what fits, positions stay those of the whole list; nothing is dragged meanwhile.
  const finding = ref(false)
  const text = ref('')
  const sieve = ref<Sieve>('')
  function find(on: boolean): void {
    finding.value = on
    if (on) return
    text.value = ''
    sieve.value = ''
    if (chosen.value !== null) void go(chosen.value)
  }

  const folded = ref<ReadonlySet<number>>(new Set())
  function fold(section: Section): void {
    const next = new Set(folded.value)
    if (!next.delete(section.id)) next.add(section.id)
    folded.value = next
  }
  const lines: ComputedRef<readonly Line[]> = computed(() => {
    if (!policy.value) return []
    const listed: Line[] = finding.value
      ? findRules(rows.value, names.value, text.value, sieve.value).map((row) => ({ kind: 'rule', row }))
      : linesOf(rows.value, policy.value.sections ?? [], folded.value)
    return partial.value ? listed : [...listed, { kind: 'otherwise' }]
  })
  /** The rules that are not folded away or sifted out, in order. */
  const shown = computed(() => lines.value.flatMap((line) => (line.kind === 'rule' ? [line.row] : [])))
  /** For each rule, counted from 0, its line; -1 where it is folded away. */
  const lineOfRule = computed(() => {
    const found = new Int32Array(rows.value.length).fill(-1)
    lines.value.forEach((line, at) => line.kind === 'rule' && (found[line.row.position - 1] = at))
    return found
  })

  const cursor = ref<Cursor>(null)
  const chosen = computed(() => (typeof cursor.value === 'number' ? cursor.value : null))
  const selected = computed(() => rows.value.find((row) => row.id === chosen.value) ?? null)
  const { mode, base, to, reset, writing, amend, several, over, back } = useMode()

  function lineOf(at: Cursor): number {
    if (at === 'otherwise') return partial.value ? -1 : lines.value.length - 1
    const row = rows.value.find((r) => r.id === at)
    return row ? lineOfRule.value[row.position - 1]! : -1
  }
  const list = useLongList<Line>({
    lines: () => lines.value,
    key: (line) =>
      line.kind === 'rule'
        ? line.row.id
        : line.kind === 'section'
          ? `section-${line.section.id}`
          : 'otherwise',
    height: (line) =>
      line.kind === 'rule'
        ? ROW_PX + (saysMore(line.row) ? TOLD_PX : 0)
        : line.kind === 'section'
          ? SECTION_PX
          : DEFAULT_PX,
    keep: () => [lineOf(cursor.value), ...(mode.value.is === 'carrying' ? [lineOf(mode.value.id)] : [])],
  })

  /** Whoever goes to a row sees it, and has the keyboard there. */
  async function go(at: Cursor, scroll = true): Promise<void> {
    cursor.value = at
    const row = rows.value.find((r) => r.id === at)
    const section = row && sectionAt(policy.value?.sections ?? [], row.position)
    if (section && folded.value.has(section.id)) fold(section)
    await list.focus(lineOf(at), scroll)
  }
  /** The focus goes back to what is chosen; where nothing is, the keys work all the same. */
  function goBack(): void {
    if (cursor.value !== null) void go(cursor.value, false)
  }

  // Several rules at once: what is done to them is one step.
  const picked = computed<ReadonlySet<number>>(() =>
    base.value.is === 'several' ? base.value.picked : new Set(),
  )
  const together = computed(() => rows.value.filter((row) => picked.value.has(row.id)))
  watch(rows, () => {
    if (picked.value.size && together.value.length < picked.value.size)
      several(new Set(together.value.map((row) => row.id)))
  })
  function pickRule(id: number, how: 'toggle' | 'range'): void {
    if (base.value.is === 'writing') return
    several(
      pick(
        shown.value.map((row) => row.id),
        picked.value,
        chosen.value,
        id,
        how,
      ),
    )
  }
  async function select(id: number, event: MouseEvent): Promise<void> {
    const how = event.shiftKey ? 'range' : event.ctrlKey || event.metaKey ? 'toggle' : 'one'
    if (how !== 'one') getSelection()?.removeAllRanges()
    const here = base.value.is === 'writing' && base.value.id === id && how === 'one'
    if (base.value.is === 'writing' && !here && !(await to({ is: 'looking' }))) return
    if (how !== 'one') pickRule(id, how)
    else if (base.value.is === 'several') reset()
    await go(id, false)
  }

  const acts = useActs({ edits, rows, together, writable, focus: go })

  // Carrying a rule, by pointer or by keys.
  function lift(id: number, gap: number, byKeys: boolean): boolean {
    if (!writable.value || finding.value || 'under' in mode.value) return false
    over({ is: 'carrying', id, gap, byKeys })
    return true
  }
  function holdGap(gap: number): void {
    if (mode.value.is === 'carrying') mode.value = { ...mode.value, gap }
  }
  /** Held so that it would end up at a place, counted from 1. */
  function hold(place: number): void {
    const row = carried.value
    if (!row) return
    const at = Math.min(Math.max(place, 1), rows.value.length)
    const gap = at <= row.position ? at - 1 : at
    holdGap(gap)
    list.show(lineOf(rows.value[Math.min(gap, rows.value.length - 1)]?.id ?? null))
  }
  function drop(): void {
    const now = mode.value
    if (now.is !== 'carrying') return
    const place = placeOfGap(rows.value, now.id, now.gap)
    back()
    void acts.move(now.id, place)
  }
  const { grip } = useDrag({
    list: () => list.scroller.value,
    gapAt(offset) {
      const found = list.at(offset)
      return found ? gapAtLine(lines.value[found.index], found.below, rows.value.length) : 0
    },
    lift: (id, gap) => lift(id, gap, false),
    hold: holdGap,
    drop,
    back,
  })
  const carried = computed(() => {
    const now = mode.value
    return now.is === 'carrying' ? (rows.value.find((row) => row.id === now.id) ?? null) : null
  })
  const target = computed(() =>
    mode.value.is === 'carrying' ? placeOfGap(rows.value, mode.value.id, mode.value.gap) : 0,
  )
  // A rule that somebody deleted is in nobody's hand.
  watch(
    () => mode.value.is === 'carrying' && !carried.value,
    (lost) => lost && back(),
  )

  // Writing a rule.
  async function write(id: number | null, index: number, more: Partial<Writing> = {}): Promise<void> {
    if (writable.value) await to(writing({ id, index, ...more }))
  }
  async function close(): Promise<void> {
    if (await to({ is: 'looking' })) goBack()
  }
  async function save(rule: Rule, ver: number): Promise<void> {
    const now = base.value as Writing
    const id = await acts.save(now, rule, ver)
    if (base.value.is === 'writing' && base.value.stamp === now.stamp) reset()
    await go(id)
  }
  /** The rule that is being written, as it is now. */
  const written = computed(() => {
    const now = base.value
    return now.is === 'writing' ? (rows.value.find((row) => row.id === now.id) ?? null) : null
  })
  const writingPlace = computed(() => {
    const now = base.value
    if (now.is !== 'writing') return { after: null, before: null }
    return now.id === null ? gapPlace(rows.value, now.index) : moveTo(rows.value, now.id, now.index + 1)
  })
  // Somebody deleted the rule that is being written: what is written can be added as a new one.
  watch(
    () =>
      base.value.is === 'writing' &&
      base.value.id !== null &&
      policy.value?.id === policyId.value &&
      !written.value,
    (gone) => gone && amend({ id: null, gone: true }),
  )
  /** What was being written here when the page was last loaded. */
  function resume(): void {
    const key = leftUnder(writtenAt(network.value, policyId.value, ''))
    const left =
      key === null ? null : leftAt<WrittenWhere>(writtenAt(network.value, policyId.value, key as ''))
    if (key === null || !left || !writable.value) return
    const id = key === 'new' ? null : Number(key)
    const there = id === null || acts.rowOf(id)
    reset(writing({ id, index: Math.min(left.index, rows.value.length), works: left.works }))
    if (!there) amend({ gone: true })
  }
  /** A copy right behind the original, to change one thing in. */
  function copy(row: RuleRow): void {
    void write(null, row.position, { rule: { ...row.rule, name: `${row.rule.name} copy` } })
  }
  /**
   * A new rule right before the row in focus, or after the last rule when the default is. Where it `works`: if another rule
   * would take some of it there, it moves up to the lowest place where none does.
   */
  function addHere(works: boolean): void {
    void write(null, selected.value ? selected.value.position - 1 : rows.value.length, { works })
  }
  function carry(row: RuleRow, policy: number, swap: boolean): void {
    const copied = draftOf(row.rule)
    carrying.rule = ruleOf(swap ? swapped(copied) : copied)
    void router.push({ name: 'rules', params: { network: network.value, policy }, query: route.query })
  }

  async function remove(): Promise<void> {
    const now = mode.value
    if (now.is !== 'deleting') return
    back()
    await acts.remove(now.row.id)
  }
  async function toggleTidying(): Promise<void> {
    await to(base.value.is === 'tidying' ? { is: 'looking' } : { is: 'tidying' })
  }
  function nameSection(section: Section | null): void {
    if (!writable.value) return
    const naming = section
      ? { ...section, before: null }
      : { id: null, ver: 0, name: '', description: '', before: chosen.value }
    over({ is: 'section', naming })
  }

  /** Nothing is chosen any more, nor tidied. */
  function letGo(): void {
    if (base.value.is === 'several' || base.value.is === 'tidying') reset()
    else cursor.value = null
  }

  const { toldOf, stale, failure } = useInHand({
    edit: () => editInHand(mode.value, rows.value, cursor.value),
    mode: () => mode.value,
    at: () => ({ policy: policyId.value, revision: revision.value }),
    send: edits.consequence,
  })

  /** The height at which a rule, counted from 0, or the next one in sight begins. */
  function topOf(index: number): number {
    for (let at = index; at < lineOfRule.value.length; at++)
      if (lineOfRule.value[at]! >= 0) return list.topOf(lineOfRule.value[at]!)
    return list.topOf(lines.value.length - 1)
  }
  /** Where the carried rule, or the new one being written, would stand; none while there is none. */
  const mark = computed(() => {
    if (mode.value.is === 'carrying') return topOf(mode.value.gap)
    if (base.value.is === 'writing' && base.value.id === null && !finding.value)
      return topOf(base.value.index)
    return null
  })
  /** Where the rule in hand would work, drawn beside the list: where each run of places begins and ends. */
  const reach = computed(() => {
    const advice = (toldOf('carrying') ?? toldOf('writing'))?.look?.advice
    if (!advice || finding.value) return []
    const own = carried.value?.id ?? written.value?.id ?? null
    const at = own === null ? rows.value.length : rows.value.findIndex((row) => row.id === own)
    const top = (place: number) => topOf(place - 1 < at ? place - 1 : place)
    const places = rows.value.length + (own === null ? 1 : 0)
    return runs(advice, places).map((run) => ({
      ...run,
      top: Math.max(0, top(run.from) - 6),
      height: top(run.to) - top(run.from) + 12,
    }))
  })
  const heldDead = computed(() => toldOf('carrying')?.look?.decided.decides === 'none' && !stale.value)

  // The chosen rule and what is looked for stand in the address.
  const sought = ref<string>()
  useAddress(
    'rule',
    () => (cursor.value !== null ? String(cursor.value) : sought.value),
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
      sieve.value = SIEVES.find((s) => s.value === found?.slice(0, at))?.value ?? ''
      text.value = found?.slice(at + 1) ?? ''
    },
  )
  /** Show the rule that the address names, as soon as there are rules. */
  function reveal(): void {
    if (policy.value?.id !== policyId.value || partial.value) return
    const rule = sought.value
    sought.value = undefined
    if (rule === 'otherwise') void go('otherwise')
    else if (rule !== undefined && acts.rowOf(Number(rule))) void go(Number(rule))
    else cursor.value = null
  }

  let resumed: number | null = null
  // Another policy starts clean.
  watch(
    [policyId, policy],
    ([id], [was]) => {
      if (id !== was) {
        reset()
        acts.notice.value = ''
        if (was !== undefined) {
          cursor.value = null
          finding.value = false
          text.value = ''
          sieve.value = ''
        }
      }
      if (policy.value?.id !== id || partial.value) return
      if (sought.value !== undefined) reveal()
      if (resumed !== id) {
        resumed = id
        resume()
      }
      // A rule carried here from another policy is written like a new one, where it works.
      const arriving = carrying.take()
      if (arriving) void write(null, rows.value.length, { works: true, rule: arriving })
    },
    { immediate: true },
  )

  return {
    network,
    whole,
    names,
    revision,
    policyId,
    policy,
    partial,
    error,
    writable,
    rows,
    finding,
    text,
    sieve,
    find,
    folded,
    fold,
    lines,
    shown,
    list,
    lineOf,
    cursor,
    chosen,
    selected,
    mode,
    base,
    reset,
    amend,
    over,
    back,
    go,
    goBack,
    picked,
    together,
    several,
    pickRule,
    select,
    acts,
    busyTogether: edits.many.isPending,
    busyTidying: edits.tidy.isPending,
    grip,
    lift,
    hold,
    drop,
    carried,
    target,
    write,
    close,
    save,
    written,
    writingPlace,
    copy,
    addHere,
    carry,
    remove,
    toggleTidying,
    nameSection,
    letGo,
    toldOf,
    stale,
    failure,
    mark,
    reach,
    heldDead,
    ask: (q: string) => address(router, { q }),
  }
}

export type Desk = ReturnType<typeof makeDesk>
const KEY = Symbol('the desk of the rules')

export function useNewDesk(): Desk {
  const desk = makeDesk()
  provide(KEY, desk)
  return desk
}
export function useDesk(): Desk {
  return inject<Desk>(KEY)!
}
