/**
 * Sessions that this browser is changing just now. Their answer brings what a note of the same change would only fetch again,
 * at the very moment when the server works on that answer. Somebody else's change at the same time is refused or in the answer.
 */
const changing = new Map<number, number>();

export const isOwnChange = (session: number) => changing.has(session);

export async function whileChanging<T>(session: number, work: () => Promise<T>): Promise<T> {
  changing.set(session, (changing.get(session) ?? 0) + 1);
  try {
    return await work();
  } finally {
    const left = (changing.get(session) ?? 1) - 1;
    if (left > 0) changing.set(session, left);
    else changing.delete(session);
  }
}
