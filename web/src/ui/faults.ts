/** What nobody has caught: told once, in sight, so that nobody works on with a page that is half there. */
import { shallowRef } from 'vue'
import type { App } from 'vue'
import type { Router } from 'vue-router'

export const fault = shallowRef('')

/** A browser says this of layouts that settle one frame later; nothing has failed. */
const HARMLESS = /^ResizeObserver loop/
const GONE = /dynamically imported module|module script|Loading chunk/i
const ONCE = 'sarvex loaded anew for'

function tell(error: unknown): void {
  const text = error instanceof Error ? error.message : String(error)
  if (text && !HARMLESS.test(text)) fault.value = text
}

export function watchFaults(app: App, router: Router): void {
  // Handed on to the window: there it is heard by whoever watches over the page.
  app.config.errorHandler = (error) => reportError(error)
  window.addEventListener('error', (event) => tell(event.error ?? event.message))
  window.addEventListener('unhandledrejection', (event) => tell(event.reason))
  router.onError((error, to) => {
    // The server has a newer page, whose parts are called otherwise: it is loaded anew, once for each way.
    if (GONE.test(String(error)) && sessionStorage.getItem(ONCE) !== to.fullPath) {
      sessionStorage.setItem(ONCE, to.fullPath)
      location.assign(to.fullPath)
    } else tell(error)
  })
  router.afterEach(() => sessionStorage.removeItem(ONCE))
}
