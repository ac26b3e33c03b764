import { useId, useState } from 'react'
import type { AddressKind } from '../../core/address/index.ts'
import type { Hint, Rule } from '../../core/rules/index.ts'

type Leads = 'anywhere' | 'partners' | 'not partners' | 'sites' | 'address' | AddressKind

const LEADS: readonly (readonly [Leads, string])[] = [
  ['outside', 'other sites'],
  ['partners', 'partners’ sites'],
  ['sites', 'these sites …'],
  ['address', 'addresses like …'],
  ['inside page', 'inside pages'],
  ['file', 'files'],
  ['short link', 'short links'],
  ['section', 'sections of a page'],
  ['not partners', 'sites that are no partner’s'],
  ['mail', 'mail addresses'],
  ['phone', 'phone numbers'],
  ['anywhere', 'anywhere'],
]
const TOLD: readonly (readonly [string, string, readonly Hint[] | undefined])[] = [
  ['', 'nothing about it', undefined],
  ['vouch', 'we vouch for it', []],
  ['paid', 'it is paid (sponsored nofollow)', ['sponsored', 'nofollow']],
  ['paid-only', 'it is paid (sponsored)', ['sponsored']],
  ['nofollow', 'we do not vouch (nofollow)', ['nofollow']],
  ['ugc', 'a visitor wrote it (ugc nofollow)', ['ugc', 'nofollow']],
  ['ugc-only', 'a visitor wrote it (ugc)', ['ugc']],
]

/** Without the key when there is nothing to say: an empty part would speak. */
function part<T extends object, K extends keyof T>(object: T, key: K, value: T[K] | undefined): T {
  const { [key]: _, ...rest } = object
  return (value === undefined ? rest : { ...rest, [key]: value }) as T
}

const leadsOf = ({ which }: Rule): Leads => {
  if (which.sites !== undefined) return 'sites'
  if (which.address !== undefined) return 'address'
  if (which.partner !== undefined) return which.partner ? 'partners' : 'not partners'
  return which.kinds?.[0] ?? 'anywhere'
}

function withLeads(rule: Rule, leads: Leads): Rule {
  const { kinds: _k, partner: _p, sites: _s, address: _a, ...which } = rule.which
  if (leads === 'anywhere') return { ...rule, which }
  if (leads === 'partners' || leads === 'not partners') return { ...rule, which: { ...which, partner: leads === 'partners' } }
  if (leads === 'sites') return { ...rule, which: { ...which, sites: [] } }
  if (leads === 'address') return { ...rule, which: { ...which, address: '' } }
  return { ...rule, which: { ...which, kinds: leads === 'inside page' ? ['inside page', 'section'] : [leads] } }
}

const splitWords = (text: string): string[] =>
  text
    .split(/[\s,]+/)
    .map((word) => word.trim())
    .filter((word) => word !== '')

/** A site as people paste it, down to its name. */
const bareSite = (text: string): string =>
  text
    .toLowerCase()
    .replace(/^[a-z]+:\/\//, '')
    .replace(/[/?#].*$/, '')
    .replace(/:\d+$/, '')
    .replace(/^www\./, '')

/** A rule built by choosing words; the sentence above it is made from the same rule. */
export function RuleForm({ rule, isReadOnly, onChange }: { rule: Rule; isReadOnly: boolean; onChange: (rule: Rule) => void }) {
  const id = useId()
  const leads = leadsOf(rule)
  const [sites, setSites] = useState((rule.which.sites ?? []).join(', '))
  const [under, setUnder] = useState((rule.where.under ?? []).join(', '))
  const told = TOLD.find(([, , hints]) => JSON.stringify(hints) === JSON.stringify(rule.what.hints)) ?? TOLD[0]
  const choose = (
    label: string,
    name: string,
    value: string,
    options: readonly (readonly [string, string, ...unknown[]])[],
    pick: (value: string) => void,
  ) => (
    <div>
      <label className="field-label" htmlFor={`${id}-${name}`}>
        {label}
      </label>
      <select id={`${id}-${name}`} className="field" value={value} onChange={(event) => pick(event.target.value)}>
        {options.map(([key, words]) => (
          <option key={key} value={key}>
            {words}
          </option>
        ))}
      </select>
    </div>
  )
  return (
    <fieldset disabled={isReadOnly} className="grid gap-4 border-t px-4 py-4">
      <legend className="sr-only">The rule’s sentence</legend>
      <div className="grid grid-cols-2 gap-x-4 gap-y-3 max-md:grid-cols-1">
        {choose('Links that lead to', 'leads', leads, LEADS, (value) => onChange(withLeads(rule, value as Leads)))}
        {leads === 'sites' ? (
          <div>
            <label className="field-label" htmlFor={`${id}-sites`}>
              Sites, with commas between them
            </label>
            <input
              id={`${id}-sites`}
              className="field address"
              value={sites}
              placeholder="gannet-line.example, bothy-beds.example"
              onChange={(event) => {
                setSites(event.target.value)
                onChange({ ...rule, which: { ...rule.which, sites: splitWords(event.target.value).map(bareSite) } })
              }}
            />
          </div>
        ) : leads === 'address' ? (
          <div>
            <label className="field-label" htmlFor={`${id}-address`}>
              Address, “*” for any stretch
            </label>
            <input
              id={`${id}-address`}
              className="field address"
              value={rule.which.address ?? ''}
              placeholder="https://*.example/shop/*"
              onChange={(event) => onChange({ ...rule, which: { ...rule.which, address: event.target.value } })}
            />
          </div>
        ) : (
          <span className="max-md:hidden" />
        )}
        {choose(
          'open',
          'opens',
          rule.what.opens ?? '',
          [
            ['', 'as they were written'],
            ['new tab', 'in a new tab'],
            ['same tab', 'in the same tab'],
          ],
          (value) => onChange({ ...rule, what: part(rule.what, 'opens', value === '' ? undefined : (value as 'new tab')) }),
        )}
        {choose('and search engines are told', 'told', told?.[0] ?? '', TOLD, (value) =>
          onChange({ ...rule, what: part(rule.what, 'hints', TOLD.find(([key]) => key === value)?.[2]) }),
        )}
      </div>
      <details
        className="text-[14.5px]"
        open={
          rule.which.origin !== undefined ||
          rule.which.shows !== undefined ||
          under !== '' ||
          rule.what.noreferrer !== undefined ||
          rule.what.noopener !== undefined
        }
      >
        <summary className="w-fit cursor-pointer font-semibold">Narrow it down, or say more</summary>
        <div className="mt-3 grid grid-cols-2 gap-x-4 gap-y-3 max-md:grid-cols-1">
          <div>
            <label className="field-label" htmlFor={`${id}-under`}>
              Only on pages under
            </label>
            <input
              id={`${id}-under`}
              className="field address"
              value={under}
              placeholder="/islands, /walks"
              onChange={(event) => {
                setUnder(event.target.value)
                const paths = splitWords(event.target.value).map((path) => (path.startsWith('/') ? path : `/${path}`))
                onChange({ ...rule, where: paths.length === 0 ? {} : { under: paths } })
              }}
            />
          </div>
          {choose(
            'Only where the link shows',
            'shows',
            rule.which.shows ?? '',
            [
              ['', 'words or a picture'],
              ['text', 'words'],
              ['picture', 'a picture'],
            ],
            (value) => onChange({ ...rule, which: part(rule.which, 'shows', value === '' ? undefined : (value as 'text')) }),
          )}
          {choose(
            'Only links that were',
            'origin',
            rule.which.origin ?? '',
            [
              ['', 'made here or brought in'],
              ['written here', 'made here'],
              ['imported', 'brought in from elsewhere'],
            ],
            (value) => onChange({ ...rule, which: part(rule.which, 'origin', value === '' ? undefined : (value as 'imported')) }),
          )}
          {choose(
            'The other site learns where the reader came from',
            'noreferrer',
            rule.what.noreferrer === undefined ? '' : String(rule.what.noreferrer),
            [
              ['', 'as it was written'],
              ['false', 'yes'],
              ['true', 'no (noreferrer)'],
            ],
            (value) => onChange({ ...rule, what: part(rule.what, 'noreferrer', value === '' ? undefined : value === 'true') }),
          )}
          {choose(
            'The new tab can reach back to this one',
            'noopener',
            rule.what.noopener === undefined ? '' : String(rule.what.noopener),
            [
              ['', 'no, as always with a new tab'],
              ['false', 'yes (no noopener)'],
              ['true', 'no, say noopener everywhere'],
            ],
            (value) => onChange({ ...rule, what: part(rule.what, 'noopener', value === '' ? undefined : value === 'true') }),
          )}
        </div>
      </details>
      <div className="grid grid-cols-2 items-end gap-4 max-md:grid-cols-1">
        <div>
          <label className="field-label" htmlFor={`${id}-name`}>
            Name of the rule
          </label>
          <input
            id={`${id}-name`}
            className="field"
            value={rule.name}
            maxLength={120}
            placeholder="It is shown wherever the rule decides"
            onChange={(event) => onChange({ ...rule, name: event.target.value })}
          />
        </div>
        <div className="flex flex-wrap gap-x-5 gap-y-2 pb-2">
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              className="size-4 accent-[var(--sea)]"
              checked={rule.isOn}
              onChange={(event) => onChange({ ...rule, isOn: event.target.checked })}
            />
            On
          </label>
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              className="size-4 accent-[var(--sea)]"
              checked={rule.isBinding}
              onChange={(event) => onChange({ ...rule, isBinding: event.target.checked })}
            />
            Binding: also over what was set by hand
          </label>
        </div>
      </div>
    </fieldset>
  )
}
