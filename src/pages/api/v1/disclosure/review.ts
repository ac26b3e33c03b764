import { disclosure } from '../../../../contract/disclosure.ts'
import { answer } from '../_answer.ts'

export const GET = answer(disclosure.review, ({ actor, services }) => services.disclosure.review(actor))
