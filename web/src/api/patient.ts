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
export async function patient(request: Request): Promise<Response> {
  if (token && request.method !== "GET") request.headers.set("X-Plodek-Token", token);
  for (let time = 1; ; time++) {
    const answer = await fetch(request.clone());
    const coming = new URL(request.url).pathname === "/api/session";
    if (answer.status === 401 && !coming) window.dispatchEvent(new Event(LEFT));
    if (answer.status !== 429 || coming || time === TIMES) return answer;
    const seconds = Number(answer.headers.get("Retry-After")) || 1;
    await new Promise((rested) => setTimeout(rested, 1000 * seconds));
    request.signal.throwIfAborted();
  }
}
