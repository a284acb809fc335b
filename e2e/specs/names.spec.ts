import { readdirSync, readFileSync } from 'node:fs'

import { expect, test } from '@playwright/test'

/* All files share one server: a printer whose name is a part of another's is found twice, in some orders of running. */
test('no printer of these tests has a name that another one has, or is a part of', () => {
  const names = readdirSync(import.meta.dirname)
    .filter((file) => file.endsWith('.spec.ts'))
    .flatMap((file) => [...readFileSync(`${import.meta.dirname}/${file}`, 'utf8').matchAll(MADE)])
    .flatMap(([, given]) => [...(given ?? '').matchAll(/'([^']+)'/g)].map(([, name]) => name ?? ''))
  expect(names.length).toBeGreaterThan(40)
  const clashes = names.filter((name, i) => names.some((other, j) => i !== j && other.includes(name)))
  expect(clashes).toEqual([])
})

/** What a printer is made by: the literals of its name, one or a choice of them. */
const MADE = /(?:ownPrinter|everyStation)\(\s*\w+,\s*(?:\w+ === '\w+' \? )?('[^']+'(?: : '[^']+')?)/g
