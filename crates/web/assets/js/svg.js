// Makes an SVG element.
const NS = "http://www.w3.org/2000/svg";

export const make = (name, attributes = {}, parent = null) => {
  const element = document.createElementNS(NS, name);
  for (const [key, value] of Object.entries(attributes)) element.setAttribute(key, value);
  parent?.append(element);
  return element;
};

// Pixels of artwork beyond its own size that are kept: shadows.
export const MARGIN = 48;

// The address of artwork as a picture of so many pixels, with its margin.
export function svgAddress({ svg, width, height }, wide, high) {
  const inside = svg.slice(svg.indexOf(">") + 1, svg.lastIndexOf("</svg>"));
  const box = `${-MARGIN} ${-MARGIN} ${width + 2 * MARGIN} ${height + 2 * MARGIN}`;
  const text = `<svg xmlns="http://www.w3.org/2000/svg" width="${wide}" height="${high}" viewBox="${box}">${inside}</svg>`;
  return `data:image/svg+xml;charset=utf-8,${encodeURIComponent(text)}`;
}
