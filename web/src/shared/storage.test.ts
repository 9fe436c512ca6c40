import { afterEach, describe, expect, it } from 'vitest'

import { replaceStorage } from './storage'

const own = Object.getOwnPropertyDescriptor(window, 'localStorage')!

afterEach(() => {
  Object.defineProperty(window, 'localStorage', own)
})

describe('storage that a browser withholds', () => {
  it('is left alone where it works', () => {
    const before = window.localStorage
    expect(replaceStorage()).toBe(false)
    expect(window.localStorage).toBe(before)
  })

  it.each([
    [
      'reading it throws',
      {
        get: () => {
          throw new DOMException('denied', 'SecurityError')
        },
      },
    ],
    [
      'it is full',
      {
        value: {
          setItem: () => {
            throw new DOMException('full', 'QuotaExceededError')
          },
        },
      },
    ],
  ])('is replaced where %s', (_, descriptor) => {
    Object.defineProperty(window, 'localStorage', { configurable: true, ...descriptor })
    expect(replaceStorage()).toBe(true)
    window.localStorage.setItem('a', '1')
    expect(window.localStorage.getItem('a')).toBe('1')
    expect([window.localStorage.length, window.localStorage.key(0)]).toEqual([1, 'a'])
    window.localStorage.removeItem('a')
    expect(window.localStorage.getItem('a')).toBeNull()
  })
})
