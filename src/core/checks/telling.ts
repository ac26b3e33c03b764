import { type Told, tell } from '../../words/index.ts'
import type { Judged } from './judge.ts'

/** What a verdict says, with what it was seen by. */
export function tellJudged(judged: Judged): Told {
  switch (judged.verdict) {
    case 'unreachable':
    case 'goes-round':
      return tell(`stop.${judged.fault}`)
    case 'certificate':
      return judged.ends !== null ? tell('check.certificate-ends', { ends: judged.ends }) : tell(`stop.${judged.fault ?? 'certificate'}`)
    case 'missing':
      return judged.fault === null ? tell('check.missing', { status: judged.status ?? 404 }) : tell(`stop.${judged.fault}`)
    case 'refused':
      return judged.fault === null ? tell('check.refused', { status: judged.status ?? 403 }) : tell(`stop.${judged.fault}`)
    case 'soft-missing':
      return tell(judged.signs.length > 1 ? 'check.soft-missing.both' : `check.soft-missing.${judged.signs[0] ?? 'says-so'}`)
    case 'parked':
      return tell('check.parked', { signs: judged.signs.map((sign) => tell(`check.parked.${sign}`)) })
    case 'failing':
      return tell('check.failing', { status: judged.status })
    case 'number-lost':
      return tell('check.number-lost', { partners: judged.partners })
    case 'changed':
      return tell('check.changed', { title: judged.title, was: judged.was })
    case 'slow':
      return tell('check.slow', { ms: judged.ms })
    case 'moved':
    case 'moved-for-now':
      return tell(`check.${judged.verdict}`, { to: judged.to })
    case 'insecure':
      return tell('check.insecure')
    case 'lands':
      return judged.sectionsMissing.length > 0 ? tell('check.sections', { sections: judged.sectionsMissing }) : tell('check.lands')
  }
}
