export { actorFor, peopleService } from './people.ts'
export { tokensService } from './tokens.ts'
