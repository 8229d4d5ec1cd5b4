/** What of a place stands in its address, so that a reload, Back and a link sent to somebody else show the same. */
import { nextTick, watch } from 'vue'
import { type LocationQueryValue, type Router, useRoute, useRouter } from 'vue-router'

type Value = string | undefined

const PAUSE_MS = 150
let pending: Record<string, Value> = {}
let order: Promise<unknown> = Promise.resolve()

/** Change some of the address's query and leave the rest: several changes at once are one. */
export function address(router: Router, change: Record<string, Value>): void {
  const first = Object.keys(pending).length === 0
  pending = { ...pending, ...change }
  if (!first) return
  order = order.then(nextTick).then(() => {
    const now = pending
    pending = {}
    return router.replace({ query: { ...router.currentRoute.value.query, ...now } })
  })
}

/**
 * Keep one value of the query in step with what is shown. What is shown leads, and the address follows a moment later; only
 * what the address says by itself (a link, Back) is shown. `show` may be called before there is anything to show it in.
 */
export function useAddress(key: string, shown: () => Value, show: (value: Value) => void): void {
  const route = useRoute()
  const router = useRouter()
  const here = route.name
  let said = one(route.query[key])
  let timer = 0

  watch(shown, (value) => {
    clearTimeout(timer)
    timer = window.setTimeout(() => {
      if (router.currentRoute.value.name !== here || value === one(route.query[key])) return
      said = value
      address(router, { [key]: value })
    }, PAUSE_MS)
  })
  watch(
    () => one(route.query[key]),
    (value) => {
      if (route.name !== here || value === said || value === shown()) return
      said = value
      clearTimeout(timer)
      show(value)
    },
  )
  if (said !== undefined) show(said)
}

function one(value: LocationQueryValue | LocationQueryValue[] | undefined): Value {
  return (Array.isArray(value) ? value[0] : value) ?? undefined
}
