import { API } from '../contract/api.ts'
import { ONE_FILE_MAX_BYTES } from '../contract/files.ts'
import { UPLOAD_MAX_BYTES } from '../contract/imports.ts'
import { BODY_LIMITS, type Operation } from '../contract/operation.ts'
import type { Fault } from '../contract/problems.ts'

/** A form of a screen: signing in, setting up. */
export const FORM_MAX_BYTES = 16 * 1024
/** What a multipart form adds around its file. */
const WRAPPING_BYTES = 64 * 1024

/** Calls that take more than most, by method and path. */
const LARGER = Object.values<Operation>(API).flatMap(({ method, path, takes }) =>
  takes === undefined ? [] : [{ method: method.toUpperCase(), at: new RegExp(`^/api/v1${path.replace('{id}', '[^/]+')}/?$`), takes }],
)

/**
 * How large the body of a request to the studio may be, and what is said of a larger one.
 * @param path - without query
 */
export function bodyLimit(method: string, path: string, contentType: string | undefined): { maxBytes: number; fault: Fault } {
  const isUpload = contentType?.trim().toLowerCase().startsWith('multipart/form-data') === true
  if (!path.startsWith('/api/')) return { maxBytes: FORM_MAX_BYTES, fault: 'body-too-large' }
  if (isUpload && /^\/api\/v1\/imports\/?$/.test(path)) return { maxBytes: UPLOAD_MAX_BYTES + WRAPPING_BYTES, fault: 'upload-too-large' }
  if (/^\/api\/v1\/short-links\/bulk\/?$/.test(path)) return { maxBytes: UPLOAD_MAX_BYTES, fault: 'upload-too-large' }
  if (/^\/api\/v1\/redirects\/(?:bulk|replay|rehearse)\/?$/.test(path))
    return { maxBytes: UPLOAD_MAX_BYTES + WRAPPING_BYTES, fault: 'upload-too-large' }
  if (isUpload && path.startsWith('/api/v1/files')) return { maxBytes: ONE_FILE_MAX_BYTES + WRAPPING_BYTES, fault: 'file-too-large' }
  const larger = LARGER.find((each) => each.method === method && each.at.test(path))
  return { maxBytes: BODY_LIMITS[larger?.takes ?? 'facts'].bytes, fault: 'body-too-large' }
}
