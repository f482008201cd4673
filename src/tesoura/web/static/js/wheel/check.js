// Checks spins of a wheel by the sum that is written beside it. It needs nothing else, and asks nobody.
"use strict";
(() => {
  // SHA-256 (FIPS 180-4) and HMAC (RFC 2104), so that it works wherever a page is opened from.
  const primes = [];
  for (let n = 2; primes.length < 64; n += 1) if (primes.every((p) => n % p)) primes.push(n);
  const part = (x) => ((x - Math.floor(x)) * 2 ** 32) | 0;
  const FIRST = primes.slice(0, 8).map((p) => part(Math.sqrt(p)));
  const K = primes.map((p) => part(Math.cbrt(p)));
  const turn = (x, n) => (x >>> n) | (x << (32 - n));

  function sha256(bytes) {
    const size = (Math.ceil((bytes.length + 9) / 64)) * 64;
    const data = new Uint8Array(size);
    data.set(bytes);
    data[bytes.length] = 0x80;
    new DataView(data.buffer).setUint32(size - 4, bytes.length * 8);
    const h = [...FIRST];
    const w = new Int32Array(64);
    for (let at = 0; at < size; at += 64) {
      const view = new DataView(data.buffer, at, 64);
      for (let i = 0; i < 64; i += 1) {
        if (i < 16) { w[i] = view.getInt32(i * 4); continue; }
        const [x, y] = [w[i - 15], w[i - 2]];
        w[i] = (w[i - 16] + (turn(x, 7) ^ turn(x, 18) ^ (x >>> 3)) + w[i - 7] + (turn(y, 17) ^ turn(y, 19) ^ (y >>> 10))) | 0;
      }
      let [a, b, c, d, e, f, g, j] = h;
      for (let i = 0; i < 64; i += 1) {
        const one = (j + (turn(e, 6) ^ turn(e, 11) ^ turn(e, 25)) + ((e & f) ^ (~e & g)) + K[i] + w[i]) | 0;
        const two = ((turn(a, 2) ^ turn(a, 13) ^ turn(a, 22)) + ((a & b) ^ (a & c) ^ (b & c))) | 0;
        [a, b, c, d, e, f, g, j] = [(one + two) | 0, a, b, c, (d + one) | 0, e, f, g];
      }
      [a, b, c, d, e, f, g, j].forEach((value, i) => { h[i] = (h[i] + value) | 0; });
    }
    const out = new Uint8Array(32);
    h.forEach((value, i) => new DataView(out.buffer).setInt32(i * 4, value));
    return out;
  }

  function hmac(key, bytes) {
    const block = new Uint8Array(64);
    block.set(key.length > 64 ? sha256(key) : key);
    const inner = sha256(new Uint8Array([...block.map((one) => one ^ 0x36), ...bytes]));
    return sha256(new Uint8Array([...block.map((one) => one ^ 0x5c), ...inner]));
  }

  const hex = (bytes) => [...bytes].map((one) => one.toString(16).padStart(2, "0")).join("");

  function problem(spin) {
    for (const name of ["hash", "opened", "number", "weights", "came"]) if (spin?.[name] === undefined) return `It doesn't contain its ${name}.`;
    if (!/^([0-9a-f]{2})+$/i.test(spin.opened)) return "The secret is not written in hexadecimal digits.";
    const secret = Uint8Array.from(spin.opened.match(/../g), (two) => parseInt(two, 16));
    if (hex(sha256(secret)) !== String(spin.hash).trim().toLowerCase()) return "The secret is not the one whose hash was shown before the spin.";
    let weights;
    try { weights = spin.weights.map(BigInt); } catch { return "The weights are whole numbers, in millionths."; }
    const total = weights.reduce((sum, one) => sum + one, 0n);
    if (total <= 0n || weights.some((one) => one < 0n)) return "Invalid weights: one is negative, or all are 0.";
    const value = BigInt(`0x${hex(hmac(secret, new TextEncoder().encode(`spin ${spin.number}`)))}`);
    const place = (value * total) / 2n ** 256n;
    let reached = 0n;
    const came = weights.findIndex((one) => { reached += one; return reached > place; }) + 1;
    if (came !== spin.came) return `By the secret, field ${came} had to come, and not field ${spin.came}.`;
    if (!Array.isArray(spin.fields) || spin.fields.length !== weights.length) return "It doesn't contain one field name per weight.";
    if (spin.field !== spin.fields[came - 1]) return `It says that “${spin.field}” came; field ${came} is “${spin.fields[came - 1]}”.`;
    const chance = Math.round(Number(weights[came - 1] * 1000000n / total) / 100) / 100;
    return Math.abs(spin.chance_pct - chance) <= 0.011 ? null : `It says that the chance was ${spin.chance_pct} %; by its weights it was ${chance} %.`;
  }

  const [field, out] = [document.getElementById("spins"), document.getElementById("checked")];
  function check() {
    let told;
    try { told = JSON.parse(field.value); } catch { out.replaceChildren(line("Not valid JSON. Paste the spins exported from the wheel's page.", false)); return; }
    const rows = (Array.isArray(told) ? told : [told]).map((one) => one?.data ?? one);
    const numbers = rows.map((spin) => spin?.number);
    out.replaceChildren(...rows.map((spin) => {
      const missing = spin?.number > Math.min(...numbers) && !numbers.includes(spin.number - 1);
      const wrong = problem(spin) ?? (numbers.filter((one) => one === spin.number).length > 1 ? "There is more than one spin of this number."
        : missing ? `Spin ${spin.number - 1} is missing before it.` : null);
      const name = `Spin ${spin?.number ?? "?"}`;
      return line(wrong ? `✕ ${name}: ${wrong}` : `● ${name} is as it should be: field ${spin.came}${spin.fields ? `, “${spin.fields[spin.came - 1]}”` : ""}.`, !wrong);
    }));
  }
  function line(words, good) { return Object.assign(document.createElement("p"), { textContent: words, className: good ? "on" : "wrong" }); }
  document.getElementById("check").addEventListener("click", check);
  if (field.value.trim()) check();
})();
