import type { Mutation, QueryClient } from '@tanstack/vue-query'
import type { Directive } from 'vue'
import { clock } from '@/shared/format'

/**
 * What was typed into a form and isn't saved, kept in this browser until it is saved or thrown away: a reload, Back, a link, a
 * dialog that was closed and a session that ended lose nothing. Passwords and files are never kept.
 */
interface Draft {
  at: string
  fields: Record<string, string>
}
type Field = HTMLInputElement | HTMLSelectElement | HTMLTextAreaElement
interface Watched {
  key: string
  /** Whether Esc closes it where it stands on a page; in a dialog it always does. */
  closes: boolean
  /** What a field held before anybody typed. */
  before: Map<Field, string>
  /** Fields into which a draft was put already. */
  given: WeakSet<Field>
  note: HTMLElement | undefined
  observer: MutationObserver
}
const PREFIX = 'fleet-draft '
const MOST_FIELDS = 200
const KEPT_DAYS = 30
const ASK = 'What you typed here isn’t saved. Throw it away?'
const watched = new Map<HTMLElement, Watched>()
let owner = ''
let sending: { form: HTMLElement; key: string } | undefined
/** Changes that save a form, under way. */
const saves = new Map<number, { form: HTMLElement; key: string }>()

/** Whose drafts are shown; each person of each team has their own. */
export function draftsOf(person: string) {
  owner = person
  for (const name of Object.keys(localStorage).filter((key) => key.startsWith(PREFIX))) {
    const draft = readDraft(name)
    if (!draft || Date.now() - Date.parse(draft.at) > KEPT_DAYS * 86_400_000) localStorage.removeItem(name)
  }
}
function readDraft(key: string): Draft | undefined {
  try {
    const found = JSON.parse(localStorage.getItem(key) ?? 'null') as Draft | null
    return found?.fields && typeof found.fields === 'object' ? found : undefined
  } catch {
    return undefined
  }
}
function writeDraft(key: string, fields: Record<string, string>) {
  try {
    if (Object.keys(fields).length)
      localStorage.setItem(key, JSON.stringify({ at: new Date().toISOString(), fields } satisfies Draft))
    else localStorage.removeItem(key)
  } catch {
    // A browser that keeps nothing loses a draft, and nothing else.
  }
}
const keyFor = (name: string) => `${PREFIX}${owner} ${name}`

function fieldsOf(form: HTMLElement): Field[] {
  const found = [...form.querySelectorAll<Field>('input, textarea, select')]
  return found
    .filter((field) => !['password', 'file', 'hidden', 'submit', 'button'].includes(field.type))
    .slice(0, MOST_FIELDS)
}
const isTicked = (field: Field): field is HTMLInputElement =>
  field instanceof HTMLInputElement && (field.type === 'checkbox' || field.type === 'radio')
const valueOf = (field: Field) => (isTicked(field) ? String(field.checked) : field.value)
function labelOf(field: Field): string {
  const label = field.labels?.[0]
  const words = [...(label?.childNodes ?? [])]
    .map((node) => (node instanceof Text ? node.data.trim() : ''))
    .find(Boolean)
  return [
    field.name,
    field.getAttribute('aria-label') ?? words ?? field.getAttribute('placeholder') ?? '',
    isTicked(field) ? field.value : '',
  ].join('|')
}
/** Each field with a name that is the same when the form is shown again. */
function namedFields(form: HTMLElement): [string, Field][] {
  const seen = new Map<string, number>()
  return fieldsOf(form).map((field) => {
    const label = labelOf(field)
    const number = (seen.get(label) ?? 0) + 1
    seen.set(label, number)
    return [`${label}#${number}`, field]
  })
}
function put(field: Field, value: string) {
  if (isTicked(field)) field.checked = value === 'true'
  else field.value = value
  // What listens to people hears it as if somebody had typed.
  if (!isTicked(field)) field.dispatchEvent(new Event('input', { bubbles: true }))
  field.dispatchEvent(new Event('change', { bubbles: true }))
}

function note(form: HTMLElement, own: Watched, at: string) {
  if (own.note) return
  own.note = document.createElement('p')
  own.note.className = 'draft-note quiet'
  own.note.setAttribute('role', 'status')
  own.note.append(`What you typed ${clock(at)} is back; it isn’t saved yet. `)
  const button = document.createElement('button')
  button.type = 'button'
  button.className = 'link'
  button.textContent = 'Throw it away'
  button.onclick = () => throwAway(form)
  own.note.append(button)
  form.append(own.note)
}
/** Put what was kept into the fields that are there; others may follow when their data has come. */
function restore(form: HTMLElement) {
  const own = watched.get(form)
  const draft = own && readDraft(own.key)
  if (!own || !draft) return
  for (const [name, field] of namedFields(form)) {
    const value = draft.fields[name]
    if (value === undefined || own.given.has(field)) continue
    // What can be chosen may still be coming; the form is looked at again when it has come.
    if (field instanceof HTMLSelectElement && ![...field.options].some((option) => option.value === value)) continue
    own.given.add(field)
    if (valueOf(field) === value) continue
    if (!own.before.has(field)) own.before.set(field, valueOf(field))
    put(field, value)
    note(form, own, draft.at)
  }
}
function keep(form: HTMLElement, event: Event) {
  const own = watched.get(form)
  const typed = event.target as Field
  if (!own || !fieldsOf(form).includes(typed)) return
  own.given.add(typed)
  const fields = { ...readDraft(own.key)?.fields }
  for (const [name, field] of namedFields(form)) {
    const group = isTicked(field) && isTicked(typed) && field.name === typed.name
    if (field !== typed && !group) continue
    if (valueOf(field) === own.before.get(field)) delete fields[name]
    else fields[name] = valueOf(field)
  }
  writeDraft(own.key, fields)
}
function remember(form: HTMLElement, event: Event) {
  const own = watched.get(form)
  const field = event.target as Field
  if (own && fieldsOf(form).includes(field) && !own.before.has(field)) own.before.set(field, valueOf(field))
}
/** Forget what is kept of a form: it is saved, or it isn't wanted. */
function forget(form: HTMLElement, key: string) {
  localStorage.removeItem(key)
  const own = watched.get(form)
  own?.note?.remove()
  if (own) {
    own.note = undefined
    own.before.clear()
  }
}
/** Forget the draft of a name, where something else than its form saved it. */
export function forgetDraft(name: string) {
  const form = [...watched].find(([, own]) => own.key === keyFor(name))?.[0]
  if (form) forget(form, keyFor(name))
  else localStorage.removeItem(keyFor(name))
}
function throwAway(form: HTMLElement) {
  const own = watched.get(form)
  if (!own) return
  const before = [...own.before]
  for (const [field, value] of before) if (field.isConnected && valueOf(field) !== value) put(field, value)
  forget(form, own.key)
  fieldsOf(form)[0]?.focus()
}

/**
 * `v-draft="`entry ${id}`"` on a form or on what holds its fields, `v-draft.esc` where Esc closes it. The name says whose values these
 * are: what was typed for one thing never comes back in another's form.
 */
export const draft: Directive<HTMLElement, string, 'esc'> = {
  mounted(form, { value, modifiers }) {
    const own: Watched = {
      key: keyFor(value),
      closes: Boolean(modifiers.esc),
      before: new Map(),
      given: new WeakSet(),
      note: undefined,
      observer: new MutationObserver(() => restore(form)),
    }
    watched.set(form, own)
    form.addEventListener('focusin', (event) => remember(form, event))
    form.addEventListener('input', (event) => keep(form, event))
    form.addEventListener('change', (event) => keep(form, event))
    own.observer.observe(form, { childList: true, subtree: true })
    restore(form)
  },
  updated(form, { value, oldValue }) {
    const own = watched.get(form)
    if (!own || value === oldValue) return
    own.note?.remove()
    Object.assign(own, { key: keyFor(value), note: undefined, given: new WeakSet() })
    own.before.clear()
    restore(form)
  },
  beforeUnmount(form) {
    watched.get(form)?.observer.disconnect()
    watched.get(form)?.note?.remove()
    watched.delete(form)
  },
}
declare module 'vue' {
  interface GlobalDirectives {
    vDraft: typeof draft
  }
}

const unsavedIn = (place: Element | null | undefined): [HTMLElement, Watched][] =>
  place ? [...watched].filter(([form, own]) => place.contains(form) && readDraft(own.key)) : []
/** Where a key or a press would close something into which somebody typed, they are asked; true: it may go on. */
function mayClose(place: Element | null | undefined): boolean {
  const forms = unsavedIn(place)
  if (!forms.length) return true
  if (!window.confirm(ASK)) return false
  for (const [form, own] of forms) forget(form, own.key)
  return true
}
/** Whether something on this page was typed and isn't saved. */
export const hasUnsaved = (): boolean => unsavedIn(document.body).length > 0
const topDialog = () => [...document.querySelectorAll('.v-dialog.v-overlay--active')].at(-1)

/** Ask before Esc closes a form with something typed, and forget what is kept of a form as soon as it is saved. */
export function watchDrafts(queries: QueryClient) {
  window.addEventListener(
    'keydown',
    (event) => {
      if (event.key !== 'Escape' || event.defaultPrevented) return
      const form = (event.target as HTMLElement).closest<HTMLElement>('form')
      if (!mayClose(topDialog() ?? (form && watched.get(form)?.closes ? form : null))) {
        event.preventDefault()
        event.stopImmediatePropagation()
      }
    },
    true,
  )
  window.addEventListener(
    'click',
    (event) => {
      const dialog = (event.target as HTMLElement).classList?.contains('v-overlay__scrim') ? topDialog() : undefined
      if (dialog && !mayClose(dialog)) event.stopImmediatePropagation()
    },
    true,
  )
  window.addEventListener(
    'submit',
    (event) => {
      const form = event.target as HTMLElement
      const own = watched.get(form)
      sending = own && { form, key: own.key }
      // Only what the form itself begins now saves it; one that refuses to send begins nothing.
      window.setTimeout(() => (sending = undefined))
    },
    true,
  )
  queries.getMutationCache().subscribe((event) => {
    if (event.type === 'added' && sending) {
      saves.set(event.mutation.mutationId, sending)
      sending = undefined
    }
    if (event.type === 'updated' && event.action.type === 'error') saves.delete(event.mutation.mutationId)
  })
}
/** Called as soon as a change is acknowledged, before what it changes is read anew: a reload in between brings back nothing that is saved. */
export function wasSaved(mutation: Mutation<unknown, unknown, unknown>) {
  const saved = saves.get(mutation.mutationId)
  saves.delete(mutation.mutationId)
  // A check before it is no save yet.
  if (saved && !mutation.meta?.check) forget(saved.form, saved.key)
}
