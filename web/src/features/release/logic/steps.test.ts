import { expect, it } from 'vitest'
import { stepsOf } from './steps'

it('steps go from delivered down to nothing without a gap', () => {
  const balance = {
    delivered: 100,
    added: 0,
    ready: 70,
    corrected: 10,
    quarantined: 8,
    removed: 7,
    rejected: 5,
  }
  const removed_by = [{ rule: 2, sentence: 'Remove repeats.', records: 4 }]
  const steps = stepsOf({ balance, removed_by, discarded: 3 } as never)
  expect(steps.map((step) => [step.from, step.to])).toEqual([
    [0, 100], [95, 100], [91, 95], [88, 91], [80, 88], [70, 80], [0, 70],
  ]) // prettier-ignore
})
