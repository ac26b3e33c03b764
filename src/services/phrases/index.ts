export { phraseChoiceService } from './choice.ts'
export { phrasesService } from './phrases.ts'
