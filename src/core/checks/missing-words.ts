/**
 * What pages say in their title or first heading where there is nothing, by language: folded, as {@link foldedWords} leaves it. "404" alone
 * says it in every language.
 */
const MISSING: Readonly<Record<string, readonly string[]>> = {
  en: ['not found', 'page not found', 'does not exist', 'no longer available', 'page unavailable', 'nothing here', 'cannot be found'],
  de: ['nicht gefunden', 'existiert nicht', 'nicht mehr verfugbar', 'nicht vorhanden', 'gibt es nicht'],
  fr: ['introuvable', 'page non trouvee', 'n existe pas', 'n existe plus', 'n est plus disponible'],
  es: ['no encontrada', 'no encontrado', 'no existe', 'ya no esta disponible', 'no se ha encontrado'],
  it: ['non trovata', 'non trovato', 'non esiste', 'non e piu disponibile'],
  pt: ['nao encontrada', 'nao encontrado', 'nao existe', 'ja nao esta disponivel'],
  nl: ['niet gevonden', 'bestaat niet', 'niet meer beschikbaar'],
  sv: ['hittades inte', 'kunde inte hittas', 'finns inte'],
  da: ['ikke fundet', 'findes ikke'],
  nb: ['ikke funnet', 'finnes ikke'],
  fi: ['ei loydy', 'ei loytynyt'],
  pl: ['nie znaleziono', 'nie istnieje'],
  cs: ['nenalezena', 'nebyla nalezena', 'neexistuje'],
}
const PHRASES: readonly string[] = Object.values(MISSING).flat()
/** More than this is a title of something that is there: "The lighthouse that was not found on any chart for two hundred years". */
const WORDS_MAX = 9

/** Whether words of a title or heading say that there is nothing. @param words - folded, in their order */
export function saysMissing(words: readonly string[]): boolean {
  if (words.length === 0) return false
  if (words.includes('404') && words.length <= WORDS_MAX) return true
  const text = ` ${words.join(' ')} `
  return words.length <= WORDS_MAX && PHRASES.some((phrase) => text.includes(` ${phrase} `))
}

/** What is said where a name is for sale, by the same folding. */
const FOR_SALE: readonly string[] = [
  'domain is for sale',
  'domain name is for sale',
  'buy this domain',
  'domain may be for sale',
  'make an offer on this domain',
  'this domain is parked',
  'domain ist zu verkaufen',
  'domain steht zum verkauf',
  'diese domain kaufen',
  'domaine est a vendre',
  'acheter ce domaine',
  'dominio esta en venta',
  'dominio in vendita',
  'domein is te koop',
  'domanen ar till salu',
]

/** Whether a page says that its name can be bought. @param words - of all its text, folded */
export function saysForSale(words: readonly string[]): boolean {
  const text = ` ${words.join(' ')} `
  return FOR_SALE.some((phrase) => text.includes(` ${phrase} `))
}
