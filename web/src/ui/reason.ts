/** Why a question was refused, in the server's words. */
export const reasonOf = (error: unknown): string | undefined => (error instanceof Error ? error.message : undefined);
