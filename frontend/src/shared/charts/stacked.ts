import type { Account } from '@/shared/api/words'

export interface Piece {
  account: Account
  from: number
  to: number
}

/** Pieces of a bar from zero on, in the order in which they are told: what costs time to the right, what wins it to the left.
 * The driver’s own good lap is where the bar begins. */
export function stacked(accounts: Partial<Record<Account, number | null>>): {
  pieces: Piece[]
  from: number
  to: number
} {
  let from = 0
  let to = 0
  const pieces: Piece[] = []
  for (const [name, known] of Object.entries(accounts)) {
    const account = name as Account
    const value = known ?? 0
    if (account === 'reference' || !value) continue
    if (value > 0) {
      pieces.push({ account, from: to, to: to + value })
      to += value
    } else {
      pieces.push({ account, from: from + value, to: from })
      from += value
    }
  }
  return { pieces, from, to }
}
