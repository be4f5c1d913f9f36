import { expect, it } from 'vitest'
import { whyUnread } from '@/shared/reads'

it('tells at the field what can’t be read, and nothing where nothing was typed', () => {
  expect(whyUnread('number', '')).toBe('')
  expect(whyUnread('number', ' 3,5 ')).toBe('')
  expect(whyUnread('number', 'three')).toBe('“three” is not a number.')
  expect(whyUnread('whole', '3.5')).toBe('“3.5” is not a whole number.')
  expect(whyUnread('times', '1:02.000; 1:61')).toBe('“1:61” is not a time such as 1:32.114.')
  expect(whyUnread('numbers', '1 2;3')).toBe('')
})
