/** How often something that the server has no room for is asked again. */
const TIMES = 20;
/** What says that nobody is in any more: the session has ended, or a password was changed. */
export const LEFT = "plodek-left";

let token = "";

/** Sets what requests for changes carry, to show that they come from this page. */
export const carry = (given: string): void => {
  token = given;
};

/** Fetches, and asks again where the server says that it has to wait. */
export async function patient(asked: Request | string, how: RequestInit = {}): Promise<Response> {
  const { signal } = typeof asked === "string" ? how : asked;
  const headers = new Headers(typeof asked === "string" ? how.headers : asked.headers);
  if (token) headers.set("X-Plodek-Token", token);
  const url = typeof asked === "string" ? asked : asked.url;
  const coming = url.endsWith("/api/session");
  for (let time = 1; ; time++) {
    const again = typeof asked === "string" ? asked : asked.clone();
    const answer = await fetch(again, { ...how, headers });
    if (answer.status === 401 && !coming) window.dispatchEvent(new Event(LEFT));
    if (answer.status !== 429 || coming || time === TIMES) return answer;
    const seconds = Number(answer.headers.get("Retry-After")) || 1;
    await new Promise((rested) => setTimeout(rested, 1000 * seconds));
    signal?.throwIfAborted();
  }
}
