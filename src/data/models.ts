import { DataTypes, type Model, type ModelStatic, type Sequelize } from 'sequelize'
import type { InsideAllowed } from '../core/address/index.ts'
import type { ShortLinkCourse } from '../core/routing/index.ts'

export interface SiteRow {
  id: string
  name: string
  timeZone: string
  insideAllowed: InsideAllowed
  language: string
  isDemo: boolean
  version: number
}
export interface HostRow {
  id: string
  siteId: string
  host: string
  kind: 'site' | 'short' | 'door'
  prefix: string
  isMain: boolean
  origin: string | null
}
export type Role = 'owner' | 'editor' | 'contributor'
export interface PersonRow {
  id: string
  email: string
  name: string
  /** Null until the person chose a password. */
  passwordHash: string | null
}
/** What somebody is at a site. */
export interface MembershipRow {
  personId: string
  siteId: string
  role: Role
  endedAt: Date | null
  /** When a session last began there. */
  usedAt: Date | null
  version: number
}
export interface SessionRow {
  id: string
  personId: string
  siteId: string
  tokenHash: string
  expiresAt: Date
}
export interface TokenRow {
  id: string
  personId: string
  siteId: string
  name: string
  tokenHash: string
  scopes: string[]
  revokedAt: Date | null
  createdAt: Date
}
export type PageKind = 'page' | 'block' | 'menu'
export interface PageRow {
  id: string
  siteId: string
  kind: PageKind
  path: string
  sourceName: string
  title: string
  encoding: string
  draftHash: string
  liveHash: string | null
  liveEncoding: string | null
  importHash: string | null
  draftAt: Date
  liveAt: Date | null
  editedBy: string | null
  writtenFor: string | null
  tags: string[]
  originKind: 'markdown' | null
  originHash: string | null
  removedAt: Date | null
  version: number
}
export interface FileRow {
  id: string
  siteId: string
  path: string
  mediaType: string
  bytes: number
  draftHash: string
  liveHash: string | null
  removedAt: Date | null
  version: number
}
export interface RuleListRow {
  siteId: string
  version: number
  list: unknown
  personId: string | null
  createdAt: Date
}
export interface ShortLinkRow {
  id: string
  siteId: string
  hostId: string
  slug: string
  destination: string
  title: string
  status: 301 | 302 | 307 | 308
  note: string
  tags: string[]
  /** As it is kept: only what differs from the plain one. */
  course: Partial<ShortLinkCourse>
  version: number
  createdAt: Date
}
export interface ShortLinkSlugRow {
  hostId: string
  slug: string
  shortLinkId: string
  isMain: boolean
}
export interface ShortLinkChangeRow {
  shortLinkId: string
  version: number
  destination: string
  title: string
  status: number
  personId: string | null
}
export interface JobRow {
  id: string
  siteId: string
  kind: string
  state: 'waiting' | 'running' | 'done' | 'failed' | 'cancelled'
  done: number
  total: number
  input: unknown
  report: unknown
  message: string | null
  isCancelAsked: boolean
  personId: string | null
}
export interface AuditRow {
  siteId: string
  personId: string | null
  tokenId: string | null
  action: string
  subject: string | null
  detail: unknown
}

type Table<Row extends object> = ModelStatic<Model<Row, Partial<Row>> & Row>

export interface Models {
  readonly Site: Table<SiteRow>
  readonly Host: Table<HostRow>
  readonly Person: Table<PersonRow>
  readonly Membership: Table<MembershipRow>
  readonly Session: Table<SessionRow>
  readonly Token: Table<TokenRow>
  readonly Page: Table<PageRow>
  readonly File: Table<FileRow>
  readonly RuleList: Table<RuleListRow>
  readonly ShortLink: Table<ShortLinkRow>
  readonly ShortLinkSlug: Table<ShortLinkSlugRow>
  readonly ShortLinkChange: Table<ShortLinkChangeRow>
  readonly Job: Table<JobRow>
  readonly Audit: Table<AuditRow>
}

const { TEXT, INTEGER, BOOLEAN, DATE, JSONB, UUID, ARRAY, BIGINT } = DataTypes
const id = { type: UUID, primaryKey: true, defaultValue: DataTypes.UUIDV4 }
// Made anew for each column: Sequelize writes a column's name into what describes it.
const maybeId = () => ({ type: UUID, allowNull: true })
const maybeText = () => ({ type: TEXT, allowNull: true })
const version = { type: INTEGER, defaultValue: 1 }

/** The tables of migrations/, one model each. What SQL does better (placements, clicks, blobs) has no model. */
export function defineModels(sequelize: Sequelize): Models {
  const table = <Row extends object>(name: string, attributes: Parameters<Sequelize['define']>[1]): Table<Row> =>
    sequelize.define<Model<Row, Partial<Row>> & Row>(name, attributes as never, { tableName: name, freezeTableName: true })
  return {
    Site: table('sites', { id, name: TEXT, timeZone: TEXT, insideAllowed: ARRAY(TEXT), language: TEXT, isDemo: BOOLEAN, version }),
    Host: table('hosts', { id, siteId: UUID, host: TEXT, kind: TEXT, prefix: TEXT, isMain: BOOLEAN, origin: maybeText() }),
    Person: table('people', { id, email: TEXT, name: TEXT, passwordHash: maybeText() }),
    Membership: table('memberships', {
      personId: { type: UUID, primaryKey: true },
      siteId: { type: UUID, primaryKey: true },
      role: TEXT,
      endedAt: DATE,
      usedAt: DATE,
      version,
    }),
    Session: table('sessions', { id, personId: UUID, siteId: UUID, tokenHash: TEXT, expiresAt: DATE }),
    Token: table('tokens', {
      id,
      personId: UUID,
      siteId: UUID,
      name: TEXT,
      tokenHash: TEXT,
      scopes: ARRAY(TEXT),
      revokedAt: DATE,
      createdAt: DATE,
    }),
    Page: table('pages', {
      id,
      siteId: UUID,
      kind: TEXT,
      path: TEXT,
      sourceName: TEXT,
      title: TEXT,
      encoding: TEXT,
      draftHash: TEXT,
      liveHash: maybeText(),
      liveEncoding: maybeText(),
      importHash: maybeText(),
      draftAt: DATE,
      liveAt: DATE,
      editedBy: UUID,
      writtenFor: maybeId(),
      tags: ARRAY(TEXT),
      originKind: maybeText(),
      originHash: maybeText(),
      removedAt: DATE,
      version,
    }),
    File: table('files', {
      id,
      siteId: UUID,
      path: TEXT,
      mediaType: TEXT,
      bytes: INTEGER,
      draftHash: TEXT,
      liveHash: maybeText(),
      removedAt: DATE,
      version,
    }),
    RuleList: table('rules', {
      siteId: { type: UUID, primaryKey: true },
      version: { type: INTEGER, primaryKey: true },
      list: JSONB,
      partnersArePaid: BOOLEAN,
      personId: UUID,
      createdAt: DATE,
      undoneAt: DATE,
    }),
    ShortLink: table('short_links', {
      id,
      siteId: UUID,
      hostId: UUID,
      slug: TEXT,
      destination: TEXT,
      title: TEXT,
      status: INTEGER,
      note: TEXT,
      tags: ARRAY(TEXT),
      course: JSONB,
      version,
      createdAt: DATE,
    }),
    ShortLinkSlug: table('short_link_slugs', {
      hostId: { type: UUID, primaryKey: true },
      slug: { type: TEXT, primaryKey: true },
      shortLinkId: UUID,
      isMain: BOOLEAN,
    }),
    ShortLinkChange: table('short_link_changes', {
      shortLinkId: { type: UUID, primaryKey: true },
      version: { type: INTEGER, primaryKey: true },
      destination: TEXT,
      title: TEXT,
      status: INTEGER,
      personId: UUID,
    }),
    Job: table('jobs', {
      id,
      siteId: UUID,
      kind: TEXT,
      state: TEXT,
      done: INTEGER,
      total: INTEGER,
      input: JSONB,
      report: JSONB,
      message: TEXT,
      isCancelAsked: BOOLEAN,
      personId: UUID,
    }),
    Audit: table('audit', {
      id: { type: BIGINT, primaryKey: true, autoIncrement: true },
      siteId: UUID,
      personId: UUID,
      tokenId: UUID,
      action: TEXT,
      subject: TEXT,
      detail: JSONB,
    }),
  }
}
