// Makes an SVG element.
const NS = "http://www.w3.org/2000/svg";

export const make = (name, attributes = {}, parent = null) => {
  const element = document.createElementNS(NS, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  parent?.append(element);
  return element;
};
