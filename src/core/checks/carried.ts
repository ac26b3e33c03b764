/** A shorter number could stand in an address by chance. */
const ACCOUNT_MIN_CHARS = 3

/** Names of partners whose number one address carries and the next does not. */
export function numbersLost(
  before: string,
  after: string,
  partners: readonly { readonly name: string; readonly account: string }[],
): string[] {
  const carries = (address: string, account: string): boolean => address.includes(account) || address.includes(encodeURIComponent(account))
  return partners
    .filter(({ account }) => account.length >= ACCOUNT_MIN_CHARS && carries(before, account) && !carries(after, account))
    .map(({ name }) => name)
}

/** Names of query parameters that came and went between two stops, each in the order of its address. */
export function parametersBetween(before: URL, after: URL): { readonly added: string[]; readonly dropped: string[] } {
  const [old, now] = [new Set(before.searchParams.keys()), new Set(after.searchParams.keys())]
  return { added: [...now].filter((name) => !old.has(name)), dropped: [...old].filter((name) => !now.has(name)) }
}
