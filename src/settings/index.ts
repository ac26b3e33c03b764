import path from 'node:path'
import { z } from 'zod'

const Environment = z.object({
  PORT: z.coerce.number().int().min(1).max(65_535).default(4300),
  MAPROPE_DATA: z.string().min(1).default('.data'),
  MAPROPE_DATABASE_URL: z.url(),
  MAPROPE_ROLE: z.string().default('studio,delivery,jobs'),
  MAPROPE_SECRET: z.string().min(16, 'MAPROPE_SECRET needs at least 16 characters'),
  /** Where the studio's process answers, when it is another than the one that owns the port. */
  MAPROPE_STUDIO_AT: z.string().min(1).optional(),
  /** Said by whoever starts the database, where it does not lie in the data folder. */
  MAPROPE_CLUSTER_AT: z.string().min(1).optional(),
  /** The addresses that are listened on: this machine alone, unless somebody says otherwise. */
  MAPROPE_LISTEN: z.string().min(1).default('127.0.0.1'),
  MAPROPE_STUDIO_HOST: z.string().default('localhost'),
  MAPROPE_STAND_INS_PORT: z.coerce.number().int().optional(),
  MAPROPE_TRUSTED_PROXY: z.string().default(''),
  MAPROPE_ASTRO_DEV: z.url().optional(),
  /** With this word, whoever asks for /metrics is told; without it nobody is. */
  MAPROPE_METRICS_TOKEN: z.string().min(16, 'MAPROPE_METRICS_TOKEN needs at least 16 characters').optional(),
  MAPROPE_LOG: z.enum(['silent', 'error', 'warn', 'info', 'debug']).default('info'),
})

export const ROLES = ['studio', 'delivery', 'jobs'] as const
export type ProcessRole = (typeof ROLES)[number]

/** What the process was told from outside, read once. */
export interface Settings {
  readonly port: number
  /** Absolute folder for everything this copy keeps on disk. */
  readonly dataFolder: string
  readonly databaseUrl: string
  readonly listen: string
  /** Socket of a studio that runs in a process of its own; null when it is this process's own matter. */
  readonly studioAt: string | null
  /** Where the database lies that this copy started for itself, if that is not its data folder; null where it is, or is not its own. */
  readonly clusterAt: string | null
  readonly roles: ReadonlySet<ProcessRole>
  readonly secret: string
  /** Host names on which the studio answers, besides the loopback names. */
  readonly studioHosts: readonly string[]
  readonly standInsPort: number
  /** Peers whose X-Forwarded-For is believed. */
  readonly trustedProxies: ReadonlySet<string>
  readonly astroDev: string | null
  readonly metricsToken: string | null
  readonly logLevel: string
}

/** @throws Error with a sentence for the terminal when a variable cannot be used */
export function readSettings(environment: Readonly<Record<string, string | undefined>>): Settings {
  const read = Environment.safeParse(environment)
  if (!read.success) throw new Error(`The environment cannot be used:\n${z.prettifyError(read.error)}`)
  const values = read.data
  const roles = values.MAPROPE_ROLE.split(',').map((role) => role.trim())
  const known = ROLES.filter((role) => roles.includes(role))
  if (known.length !== roles.length) throw new Error(`MAPROPE_ROLE takes ${ROLES.join(', ')}; not "${values.MAPROPE_ROLE}"`)
  return {
    port: values.PORT,
    dataFolder: path.resolve(values.MAPROPE_DATA),
    databaseUrl: values.MAPROPE_DATABASE_URL,
    listen: values.MAPROPE_LISTEN,
    studioAt: values.MAPROPE_STUDIO_AT ?? null,
    clusterAt: values.MAPROPE_CLUSTER_AT ?? null,
    roles: new Set(known),
    secret: values.MAPROPE_SECRET,
    studioHosts: ['localhost', '127.0.0.1', '[::1]', ...values.MAPROPE_STUDIO_HOST.toLowerCase().split(',')],
    standInsPort: values.MAPROPE_STAND_INS_PORT ?? values.PORT + 1,
    trustedProxies: new Set(values.MAPROPE_TRUSTED_PROXY.split(',').filter((peer) => peer !== '')),
    astroDev: values.MAPROPE_ASTRO_DEV ?? null,
    metricsToken: values.MAPROPE_METRICS_TOKEN ?? null,
    logLevel: values.MAPROPE_LOG,
  }
}
