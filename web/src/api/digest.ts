/** The SHA-256 of a file, so that what arrives is what was chosen. */

const LARGEST = 256 * 2 ** 20 // bytes: the browser digests a file only as a whole, in memory

/** As lower-case hexadecimal; empty where the file is too large, or the page is not served safely enough for the browser to digest. */
export async function sha256Of(file: Blob): Promise<string> {
  if (file.size > LARGEST || !globalThis.crypto?.subtle) return ''
  const digest = await crypto.subtle.digest('SHA-256', await file.arrayBuffer())
  return Array.from(new Uint8Array(digest), (byte) => byte.toString(16).padStart(2, '0')).join('')
}
