import type { Host, HostList } from '../../contract/hosts.ts'
import type { Site } from '../../contract/sites.ts'
import { Queries, useAsk } from '../../ui/query.tsx'
import { CountingForm } from './CountingForm.tsx'
import { HostRow } from './HostRow.tsx'
import { NewDoor, NewHost } from './NewHost.tsx'
import { SiteForm } from './SiteForm.tsx'

interface HostsProps {
  site: Site
  initial: HostList
  canEdit: boolean
  languages: readonly (readonly [tag: string, name: string])[]
  zones: readonly string[]
}

/** What the site is called, and every name it answers on. */
export function Hosts(props: HostsProps) {
  return (
    <Queries>
      <HostsView {...props} />
    </Queries>
  )
}

const GROUPS: readonly { kind: Host['kind']; id: string; title: string; lead: string; none: string }[] = [
  {
    kind: 'site',
    id: 'pages',
    title: 'For your pages',
    lead: 'Readers find your published pages on each of these names. The main one is the one you are shown, and that is copied.',
    none: 'None yet: your pages cannot be read anywhere.',
  },
  {
    kind: 'short',
    id: 'short-links',
    title: 'For short links',
    lead: 'Short, sayable addresses of your own. New short links begin with the main one.',
    none: 'None yet. Add one, and you can make short links.',
  },
  {
    kind: 'door',
    id: 'front-doors',
    title: 'Front doors',
    lead: 'For a site that lives elsewhere: visitors ask here, its pages pass through, and your rules mark their links on the way. Nothing on that site changes.',
    none: 'None yet. Say below where the other site answers, and on which name visitors ask for it.',
  },
]

function HostsView({ site, initial, canEdit, languages, zones }: HostsProps) {
  const { data } = useAsk('hosts.list', {}, { initialData: initial })
  return (
    <div className="mx-auto grid max-w-[860px] gap-7 px-5 py-7 max-md:px-3">
      <h1 className="text-[26px]">Site and hosts</h1>
      <SiteForm site={site} canEdit={canEdit} languages={languages} zones={zones} />
      <CountingForm canEdit={canEdit} />
      {GROUPS.map(({ kind, id, title, lead, none }) => {
        const hosts = data.items.filter((host) => host.kind === kind)
        return (
          <section key={kind} id={id} aria-labelledby={`${id}-title`} className="grid gap-3">
            <header>
              <h2 id={`${id}-title`} className="mb-1 text-[19px]">
                {title}
              </h2>
              <p className="text-ink-soft">{lead}</p>
            </header>
            {hosts.length === 0 && <p className="sheet px-5 py-6 text-center text-ink-soft">{none}</p>}
            {hosts.length > 0 && (
              <ul className="sheet divide-y" aria-label={title}>
                {hosts.map((host) => (
                  <HostRow key={host.id} host={host} canEdit={canEdit} />
                ))}
              </ul>
            )}
            {canEdit && (kind === 'door' ? <NewDoor /> : <NewHost kind={kind} />)}
          </section>
        )
      })}
    </div>
  )
}
