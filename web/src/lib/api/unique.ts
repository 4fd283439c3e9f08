/** A name that nothing else has: 32 hexadecimal digits. Browsers make such names themselves
 * only on pages that come over TLS or from the same machine. */
export function unique(): string {
  const bytes = crypto.getRandomValues(new Uint8Array(16));
  return Array.from(bytes, (b) => b.toString(16).padStart(2, '0')).join('');
}
