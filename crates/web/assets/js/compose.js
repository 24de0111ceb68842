// One object of several parts. Getters stay getters, so that they are worked out anew each time they are read; no part
// takes a name from another.
export function compose(...parts) {
  const whole = {};
  for (const part of parts) {
    const own = Object.getOwnPropertyDescriptors(part);
    const taken = Object.keys(own).find((name) => name in whole);
    if (taken) throw new Error(`two parts of the page are called ${taken}`);
    Object.defineProperties(whole, own);
  }
  return whole;
}
