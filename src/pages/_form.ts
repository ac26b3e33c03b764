/** What a form of a screen was sent with; nothing where the body is none, or cannot be read as one. */
export async function formOf(request: Request): Promise<FormData> {
  return request.formData().catch(() => new FormData())
}
