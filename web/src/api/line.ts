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

/** The network's fetch, which notices when the server is away, when it is back, and when the session has ended. */
export async function reach(input: Request | string, init?: RequestInit): Promise<Response> {
  const request = new Request(input, init)
  if (Date.now() - touched > attended) request.headers.set('Ensomet-Unattended', '1')
  let answer
  try {
    answer = await fetch(request)
  } catch (e) {
    if (!request.signal.aborted) lost()
    throw e
  }
  if (gateway(answer)) lost()
  if (answer.status === 401 && !new URL(request.url).pathname.startsWith('/api/sign-in')) ended.value = true
  return answer
}
