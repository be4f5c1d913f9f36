import type { Directive } from 'vue'
import { readNumber, readTime } from '@/shared/format'

/** What a field is read as: a number, a whole one, several, or times such as 1:32.114. */
export type Reads = 'number' | 'whole' | 'numbers' | 'time' | 'times'

const each = (text: string) => text.split(/[\s;]+/).filter(Boolean)
const isNumber = (text: string) => !Number.isNaN(readNumber(text) ?? 0)
const isTime = (text: string) => readTime(text) !== null
const TELLS: Record<Reads, (text: string) => string> = {
  number: (text) => (isNumber(text) ? '' : `“${text}” is not a number.`),
  whole: (text) => (/^\d+$/.test(text) ? '' : `“${text}” is not a whole number.`),
  numbers: (text) => (each(text).every(isNumber) ? '' : 'Write numbers with blanks between them.'),
  time: (text) => (isTime(text) ? '' : `“${text}” is not a time such as 1:32.114.`),
  times: (text) => {
    const wrong = each(text).find((item) => !isTime(item))
    return wrong === undefined ? '' : `“${wrong}” is not a time such as 1:32.114.`
  },
}

/** Why a text can't be read, as a sentence; empty where it can, or where nothing was typed. */
export const whyUnread = (kind: Reads, text: string): string => (text.trim() ? TELLS[kind](text.trim()) : '')

function check(field: HTMLInputElement, kind: Reads) {
  const why = whyUnread(kind, field.value)
  if (field.validationMessage !== why) field.setCustomValidity(why)
  if (why) field.setAttribute('aria-invalid', 'true')
  else field.removeAttribute('aria-invalid')
  field.title = why
}

/** `v-reads` on a field of free text: what can't be read is told at the field, and its form isn't sent. */
export const reads: Directive<HTMLInputElement, Reads | undefined> = {
  mounted(field, { value }) {
    field.addEventListener('input', () => check(field, value ?? 'number'))
    check(field, value ?? 'number')
  },
  updated: (field, { value }) => check(field, value ?? 'number'),
}

declare module 'vue' {
  interface GlobalDirectives {
    vReads: typeof reads
  }
}
