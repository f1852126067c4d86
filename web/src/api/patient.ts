/** How often something that the server has no room for is asked again. */
const TIMES = 20;

/** Fetches, and asks again where the server says that it has to wait. */
export async function patient(request: Request): Promise<Response> {
  for (let time = 1; ; time++) {
    const answer = await fetch(request.clone());
    if (answer.status !== 429 || time === TIMES) return answer;
    const seconds = Number(answer.headers.get("Retry-After")) || 1;
    await new Promise((rested) => setTimeout(rested, 1000 * seconds));
    request.signal.throwIfAborted();
  }
}
