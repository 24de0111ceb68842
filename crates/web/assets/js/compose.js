// One object of several parts. Getters stay getters, so that they are worked out anew each time they are read.
export const compose = (...parts) => Object.defineProperties({}, Object.assign({}, ...parts.map(Object.getOwnPropertyDescriptors)));
