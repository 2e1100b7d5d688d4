import { expect, it } from 'vitest'
import { fitting } from './patterns'

const feeds = ['lab-results', 'lab-extra', 'sites', 'a.b'].map((slug) => ({ slug }))

it.each([
  ['', []],
  ['*', ['lab-results', 'lab-extra', 'sites', 'a.b']],
  ['lab-*', ['lab-results', 'lab-extra']],
  ['LAB-results', ['lab-results']],
  [' sites , lab-e* ,', ['lab-extra', 'sites']],
  ['site', []],
  ['site?', ['sites']],
  ['a.b', ['a.b']],
  ['a?b', ['a.b']],
  ['l.b-*', []],
])('%j fits %j', (pattern, slugs) => expect(fitting(pattern, feeds).map(({ slug }) => slug)).toEqual(slugs))
