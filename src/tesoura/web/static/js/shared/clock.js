// What time it is where Tesoura runs, milliseconds since 1970, for what goes on by itself on a page.
let ahead_ms = 0;
export function hearClock(now_ms) { ahead_ms = now_ms - Date.now(); }
export const now = () => Date.now() + ahead_ms;

// An animation stands where it would had it begun at that time, however long its first picture takes.
export function beganAt(animation, at) { animation.startTime = performance.now() + at - now(); }
