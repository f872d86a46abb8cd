/** A name for one write, so that it is done once however often it is sent. */
export const newToken = (): string => `${Date.now().toString(36)}-${Math.random().toString(36).slice(2, 12)}`
