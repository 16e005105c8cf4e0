/** A key of one's own under which the server tells how far work is. Browsers give random numbers over plain http too. */
export const key = () => Array.from(crypto.getRandomValues(new Uint32Array(4)), (n) => n.toString(36)).join('')
