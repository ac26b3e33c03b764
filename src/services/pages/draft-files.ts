import { createHmac } from 'node:crypto'
import { getBlob } from '../../data/contents.ts'
import { findDraftFile } from '../../data/files.ts'
import type { Actor, Context } from '../context.ts'
import { isSame } from '../secrets.ts'

/** A page that stays open longer is loaded anew before its pictures are. */
const TICKET_MS = 12 * 60 * 60 * 1000
/** Kinds that a page shows or plays; others are only ever linked to. */
const SHOWN = /^(?:image|font|audio|video)\/|^text\/css$|^application\/(?:font|vnd\.ms-fontobject)/

/** Files as they stand in the studio, for pages shown there. */
export function draftFilesService({ db, settings }: Context) {
  const sign = (text: string): string => createHmac('sha256', `draft files ${settings.secret}`).update(text).digest('base64url')
  return {
    /** Lets the frame that shows pages read one site's drafts for a while. Holds letters, digits, "-", "_" and "." alone. */
    ticketFor(actor: Pick<Actor, 'siteId'>): string {
      const text = `${actor.siteId}.${Date.now() + TICKET_MS}`
      return `${text}.${sign(text)}`
    },

    /** The site that a ticket speaks of; null for one that was not made here, or has had its time. */
    siteOf(ticket: string): string | null {
      const [siteId = '', until = '', signature = ''] = ticket.split('.')
      if (!isSame(signature, sign(`${siteId}.${until}`))) return null
      return Number(until) > Date.now() ? siteId : null
    },

    /** @param path - as the site would be asked for it */
    async read(siteId: string | null, path: string): Promise<{ mediaType: string; bytes: Uint8Array } | null> {
      const file = siteId === null ? null : await findDraftFile(db, siteId, path)
      if (file === null || !SHOWN.test(file.mediaType)) return null
      const bytes = await getBlob(db, file.hash)
      return bytes === null ? null : { mediaType: file.mediaType, bytes }
    },
  }
}
