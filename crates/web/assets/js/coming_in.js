// What was dropped or chosen, as uploads: films one by one, numbered pictures of one shot as one.
import { tar } from "./tar.js";

const PICTURE = /\.(png|jpe?g|tiff?)$/i;
const PACKED = /\.(zip|tar)$/i;
const NUMBER = /\d+(?=\D*$)/;

// Files, also those in dropped folders.
export async function filesOf(transfer) {
  const entries = [...transfer.items].map((item) => item.webkitGetAsEntry?.()).filter(Boolean);
  if (!entries.some((entry) => entry.isDirectory)) return [...transfer.files];
  return (await Promise.all(entries.map(within))).flat();
}

async function within(entry) {
  if (entry.isFile) return [await new Promise((resolve, reject) => entry.file(resolve, reject))];
  const reader = entry.createReader();
  const found = [];
  // It gives a hundred at a time.
  for (;;) {
    const some = await new Promise((resolve, reject) => reader.readEntries(resolve, reject));
    if (!some.length) break;
    found.push(...some);
  }
  return (await Promise.all(found.map(within))).flat();
}

// A name without its number, by which the pictures of one shot are known.
const shotOf = ({ name, webkitRelativePath: path }) => (path || name).replace(/\.[^.]*$/, "").replace(NUMBER, "");

// Each with a name, what is sent, and whether a rate has to be said with it. A single picture is one that has no
// others: the server says what to do.
export function arrivals(files) {
  const shown = files.filter((file) => !file.name.startsWith("."));
  const isPicture = (file) => PICTURE.test(file.name);
  const single = shown.filter((file) => !isPicture(file));
  const alone = single.map((file) => ({ name: file.name, body: file, numbered: PACKED.test(file.name) }));
  const together = [...Map.groupBy(shown.filter(isPicture), shotOf)].map(([shot, pictures]) => {
    const name = shot
      .split("/")
      .at(-1)
      .replace(/[\s._-]+$/, "");
    return { name: `${name || "Pictures"}.tar`, body: tar(pictures), numbered: true };
  });
  return [...alone, ...together];
}
