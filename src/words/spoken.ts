/** What a site's visitors are told where the site itself says nothing. */
export interface Spoken {
  /** Said aloud behind a link that opens a new tab. */
  readonly newTab: string
  readonly noPage: string
  /** Before pages that may have been meant. */
  readonly perhaps: string
  readonly noShortLink: string
  readonly notYet: string
  readonly over: string
  readonly gone: string
}

const ENGLISH: Spoken = {
  newTab: 'opens in a new tab',
  noPage: 'There is no page at this address.',
  perhaps: 'Perhaps you were looking for:',
  noShortLink: 'There is no short link of this name.',
  notYet: 'This link does not lead anywhere yet. Please come back later.',
  over: 'What this link led to is over.',
  gone: 'What this link led to has gone for good.',
}

/** By the primary subtag of a language (BCP 47). */
const SPOKEN: Readonly<Record<string, Spoken>> = {
  en: ENGLISH,
  de: {
    newTab: 'öffnet einen neuen Tab',
    noPage: 'Unter dieser Adresse gibt es keine Seite.',
    perhaps: 'Vielleicht suchten Sie:',
    noShortLink: 'Einen Kurzlink dieses Namens gibt es nicht.',
    notYet: 'Dieser Link führt noch nirgendwohin. Bitte kommen Sie später wieder.',
    over: 'Wohin dieser Link führte, das ist vorbei.',
    gone: 'Wohin dieser Link führte, das gibt es nicht mehr.',
  },
  fr: {
    newTab: 's’ouvre dans un nouvel onglet',
    noPage: 'Il n’y a pas de page à cette adresse.',
    perhaps: 'Peut-être cherchiez-vous :',
    noShortLink: 'Il n’y a pas de lien court de ce nom.',
    notYet: 'Ce lien ne mène encore nulle part. Revenez plus tard.',
    over: 'Ce à quoi ce lien menait est terminé.',
    gone: 'Ce à quoi ce lien menait n’existe plus.',
  },
  es: {
    newTab: 'se abre en una pestaña nueva',
    noPage: 'No hay ninguna página en esta dirección.',
    perhaps: 'Quizá buscaba:',
    noShortLink: 'No hay ningún enlace corto con este nombre.',
    notYet: 'Este enlace todavía no lleva a ninguna parte. Vuelva más tarde.',
    over: 'Aquello a lo que llevaba este enlace ha terminado.',
    gone: 'Aquello a lo que llevaba este enlace ya no existe.',
  },
  it: {
    newTab: 'si apre in una nuova scheda',
    noPage: 'A questo indirizzo non c’è nessuna pagina.',
    perhaps: 'Forse cercava:',
    noShortLink: 'Non esiste un link breve con questo nome.',
    notYet: 'Questo link non porta ancora da nessuna parte. Torni più tardi.',
    over: 'Ciò a cui portava questo link è finito.',
    gone: 'Ciò a cui portava questo link non esiste più.',
  },
  nl: {
    newTab: 'opent in een nieuw tabblad',
    noPage: 'Op dit adres staat geen pagina.',
    perhaps: 'Misschien zocht u:',
    noShortLink: 'Er is geen korte link met deze naam.',
    notYet: 'Deze link leidt nog nergens heen. Kom later terug.',
    over: 'Waar deze link heen leidde, is voorbij.',
    gone: 'Waar deze link heen leidde, bestaat niet meer.',
  },
}

const find = (language = 'en'): Spoken | undefined => SPOKEN[language.split('-', 1)[0]?.toLowerCase() ?? '']

/** @param language - of a site, such as "de-AT"; English for one that is not among them */
export const spokenIn = (language: string | undefined): Spoken => find(language) ?? ENGLISH

/** Whether what is told is in the site's own language. */
export const isSpoken = (language: string | undefined): boolean => find(language) !== undefined
