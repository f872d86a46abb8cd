/** Runs a call that changes the store; the lists that show it are read anew. False where it was refused. */
export type Change = (call: Promise<unknown>) => Promise<boolean>
