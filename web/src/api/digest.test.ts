import { describe, expect, it, vi } from 'vitest'
import { sha256Of } from './digest'

describe('the digest of a file', () => {
  it('is that of its bytes (FIPS 180-4, B.1)', async () => {
    const abc = 'ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad'
    expect(await sha256Of(new Blob(['abc']))).toBe(abc)
    expect(await sha256Of(new Blob(['abd']))).not.toBe(abc)
  })
  it('is left out where the file is too large for memory, or the browser digests nothing', async () => {
    const large = { size: 2 ** 30, arrayBuffer: () => Promise.reject(new Error('read')) } as unknown as Blob
    expect(await sha256Of(large)).toBe('')
    vi.stubGlobal('crypto', {})
    expect(await sha256Of(new Blob(['abc']))).toBe('')
    vi.unstubAllGlobals()
  })
})
