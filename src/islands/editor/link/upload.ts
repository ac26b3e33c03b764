import { toast } from 'sonner'
import type { SiteFile } from '../../../contract/files.ts'
import { call, wordsOf } from '../../../ui/api.ts'

/** Sends a file to the site. @returns null when it was refused, which has been told */
export async function upload(file: File): Promise<SiteFile | null> {
  const form = new FormData()
  form.set('file', file)
  try {
    return await call('files.upload', { body: form })
  } catch (error) {
    toast.error(wordsOf(error))
    return null
  }
}
