import { ref } from 'vue'

/** Since when the server has not answered, in milliseconds since 1970; 0 while it does. */
export const away = ref(0)

/** That the session has ended while somebody was at work: he signs in over the page, and goes on. */
export const ended = ref(false)

const onBack: (() => void)[] = []
/** Is called each time the server answers again. */
export const whenBack = (fn: () => void) => void onBack.push(fn)

/** how often the server is tried while it is away, in milliseconds */
const again = 2_000

// a page that nobody has touched for a while asks by itself, and that keeps no session alive
let touched = Date.now()
for (const event of ['keydown', 'pointerdown', 'pointermove', 'wheel']) {
  window.addEventListener(event, () => (touched = Date.now()), { passive: true, capture: true })
}
const attended = 60_000

function lost() {
  if (away.value) return
  away.value = Date.now()
  const look = async () => {
    try {
      const answer = await fetch('/api/me', { headers: { 'Ensomet-Unattended': '1' } })
      if (!gateway(answer)) {
        away.value = 0
        onBack.forEach((fn) => fn())
        return
      }
    } catch {
      // it is still away
    }
    setTimeout(look, again)
  }
  setTimeout(look, again)
}

/** What a proxy says that does not reach the server; the server itself says what is wrong as problem details. */
const gateway = (answer: Response) =>
  [502, 503, 504].includes(answer.status) && !answer.headers.get('Content-Type')?.includes('json')

/** A word that nobody else has; crypto.randomUUID is not there on plain http. */
export const unique = (): string =>
  Array.from(crypto.getRandomValues(new Uint8Array(16)), (b) => b.toString(16).padStart(2, '0')).join('')

// Requests that change something are known to the server by a key: one that is sent again before it was answered, or
// whose answer got lost, has the key of the first, and is done once. It keeps it for a moment after its answer, since
// the second click of two comes no sooner.
const keys = new Map<string, string>()
const moment = 400
const changesNothing = /\/(preview|try|check|look|open|sign-in|sign-out|demo)$/
const oneByOne = /\/(undo|move-on)$/

/** The key of a request that changes something, and what is to be done once it is answered. */
async function keyed(request: Request): Promise<() => void> {
  const { pathname } = new URL(request.url)
  if (request.method === 'GET' || changesNothing.test(pathname) || request.body instanceof Blob) return () => {}
  if (!request.headers.get('Content-Type')?.includes('json')) return () => {}
  const what = `${request.method} ${request.url} ${await request.clone().text()}`
  const key = keys.get(what) ?? unique()
  keys.set(what, key)
  request.headers.set('Idempotency-Key', key)
  const forget = () => void (keys.get(what) === key && keys.delete(what))
  return () => (oneByOne.test(pathname) ? forget() : void setTimeout(forget, moment))
}

/** The network's fetch, which notices when the server is away, when it is back, and when the session has ended. */
export async function reach(input: Request | string, init?: RequestInit): Promise<Response> {
  const request = new Request(input, init)
  if (Date.now() - touched > attended) request.headers.set('Ensomet-Unattended', '1')
  const answered = await keyed(request)
  let answer
  try {
    answer = await fetch(request)
  } catch (e) {
    if (!request.signal.aborted) lost()
    throw e
  }
  if (gateway(answer)) lost()
  else answered()
  if (answer.status === 401 && !new URL(request.url).pathname.startsWith('/api/sign-in')) ended.value = true
  return answer
}
