/**
 * Words that nobody wants in an address that is printed, by language. `whole`: only as a word of its own, for many good words
 * have them inside ("class", "document"); `within`: wherever they stand, also across hyphens.
 */
export const UNFORTUNATE: readonly {
  readonly language: string
  readonly whole: readonly string[]
  readonly within: readonly string[]
}[] = [
  {
    language: 'English',
    whole: [
      'ass',
      'arse',
      'bum',
      'cock',
      'crap',
      'cum',
      'damn',
      'dick',
      'hell',
      'piss',
      'poo',
      'sex',
      'slut',
      'tit',
      'tits',
      'turd',
      'twat',
      'wank',
    ],
    within: ['bastard', 'bitch', 'bollock', 'bugger', 'cunt', 'fuck', 'penis', 'porn', 'shit', 'vagina', 'whore', 'rapist'],
  },
  {
    language: 'German',
    whole: ['sau', 'depp', 'mist', 'geil'],
    within: ['arsch', 'fick', 'fotze', 'hure', 'kacke', 'nutte', 'scheiss', 'schwanz', 'wichs'],
  },
  { language: 'French', whole: ['con', 'cul', 'bite', 'pute', 'pd'], within: ['connard', 'encule', 'merde', 'putain', 'salope', 'chier'] },
  { language: 'Spanish', whole: ['culo', 'cono', 'polla', 'teta', 'pito'], within: ['cabron', 'joder', 'mierda', 'puta', 'gilipoll'] },
  { language: 'Italian', whole: ['culo', 'fica', 'figa', 'minchia'], within: ['cazzo', 'merda', 'puttana', 'stronz', 'vaffan'] },
  { language: 'Dutch', whole: ['kut', 'lul', 'pik', 'reet'], within: ['klootzak', 'kanker', 'neuk', 'hoer', 'schijt'] },
  { language: 'Portuguese', whole: ['cu', 'rabo'], within: ['caralho', 'foder', 'merda', 'porra', 'buceta'] },
]
