/** The desk at which the rules of one policy lie: what of them is in sight, what is chosen, and what is being done to them. */
import { computed, inject, provide, ref, toRaw, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { RuleRow } from '@/api/client'
import { isLong, useEdits, usePolicy } from '@/api/policies'
import { useSession } from '@/api/session'
import { runs } from '@/editing/changes'
import { useFrame } from '@/frame/frame'
import { useOnePolicy } from '@/frame/onePolicy'
import { useActs } from '@/places/rules/acts'
import { useBeside } from '@/places/rules/beside'
import { useCarrying } from '@/places/rules/carrying'
import { useInHand } from '@/places/rules/inHand'
import { useLifting } from '@/places/rules/lifting'
import { gapAtLine, type Line, type Section, swapped } from '@/places/rules/lines'
import { pick } from '@/ui/pick'
import { type Cursor, editInHand, useMode } from '@/places/rules/mode'
import { draftOf, ruleOf } from '@/places/rules/ruleDraft'
import { useShown } from '@/places/rules/shown'
import { useWriting } from '@/places/rules/writingRule'
import { address, useAddress } from '@/ui/address'
import { useLongList } from '@/ui/longList'
import { saysMore } from '@/words'

const ROW_PX = 44
const TOLD_PX = 26
const SECTION_PX = 34
const DEFAULT_PX = 78

function makeDesk() {
  const { id: network, network: whole, names, revision } = useFrame()
  const session = useSession()
  const carrying = useCarrying()
  const route = useRoute()
  const router = useRouter()

  const policyId = useOnePolicy()
  const long = computed(() => isLong(whole.value?.policies.find((p) => p.id === policyId.value)))
  const { data: policy, error, partial } = usePolicy(network, policyId, revision, long)
  const edits = useEdits(network, policyId)
  // Ten thousand rows are looked through at every move of a drag: plain objects, replaced as a whole.
  const rows = computed(() => toRaw(policy.value?.rows) ?? [])
  // Of a list that is only begun nothing can be changed: what stands behind is not known yet.
  const writable = computed(() => session.writes && !partial.value)

  // A long list comes before what its rules decide is known; when that is worked out, it comes again.
  watch(
    () =>
      policy.value?.pending && whole.value?.policies.find((p) => p.id === policyId.value)?.pending === false,
    (ready) => ready && edits.refresh(),
  )

  const { finding, text, sieve, misread, lookFor, folded, fold, unfold, lines, shown, lineOfRule } = useShown(
    {
      network,
      revision,
      policy,
      rows,
      names,
      partial,
    },
  )
  function find(on: boolean): void {
    lookFor(on)
    if (!on && chosen.value !== null) void go(chosen.value)
  }

  const cursor = ref<Cursor>(null)
  const chosen = computed(() => (typeof cursor.value === 'number' ? cursor.value : null))
  const selected = computed(() => rows.value.find((row) => row.id === chosen.value) ?? null)
  const modes = useMode()
  const { mode, base, to, reset, amend, several, intend, over, back } = modes

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
    if (row) unfold(row)
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

  function gapAt(offset: number): number {
    const found = list.at(offset)
    return found ? gapAtLine(lines.value[found.index], found.below, rows.value.length) : 0
  }
  const { grip, lift, hold, drop, carried, target } = useLifting({
    rows,
    list,
    gapAt,
    mode: modes,
    liftable: () => writable.value && !finding.value,
    lineOf,
    put: (id, place) => void acts.move(id, place),
  })
  const { written, writingPlace, write, close, save, resume, copy, lend, addHere } = useWriting({
    network,
    policyId,
    policy,
    rows,
    selected,
    writable,
    mode: modes,
    acts,
    go,
    goBack,
  })
  const beside = useBeside({
    network,
    revision,
    policyId,
    whole,
    rows,
    list: () => list.scroller.value,
    gapAt,
    liftable: () => writable.value && !finding.value,
    write,
    amend,
    close,
  })
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

  // The chosen rule stands in the address.
  const sought = ref<string>()
  useAddress(
    'rule',
    () => (cursor.value !== null ? String(cursor.value) : sought.value),
    (rule) => {
      sought.value = rule
      reveal()
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
          lookFor(false)
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
    misread,
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
    intend,
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
    lend,
    addHere,
    carry,
    beside,
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
