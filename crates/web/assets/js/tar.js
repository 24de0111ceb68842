// Several files as one: a tar archive (POSIX.1-1988, ustar) whose pieces the browser reads from the disk as it sends
// them.

const BLOCK = 512;
const LONGEST_NAME = 99;

const bytes = (text) => new TextEncoder().encode(text);
const octal = (number, digits) => bytes(`${number.toString(8).padStart(digits, "0")}\0`);

function header(name, size) {
  const block = new Uint8Array(BLOCK);
  // Of a long name the end, where its number is.
  block.set(bytes(name).slice(-LONGEST_NAME), 0);
  block.set(octal(0o644, 7), 100);
  block.set(octal(0, 7), 108);
  block.set(octal(0, 7), 116);
  block.set(octal(size, 11), 124);
  block.set(octal(0, 11), 136);
  block.set(bytes("        "), 148);
  block.set(bytes("0"), 156);
  block.set(bytes("ustar\0" + "00"), 257);
  const sum = block.reduce((sum, byte) => sum + byte, 0);
  block.set(bytes(`${sum.toString(8).padStart(6, "0")}\0 `), 148);
  return block;
}

export function tar(files) {
  const pieces = files.flatMap((file) => [
    header(file.name, file.size),
    file,
    new Uint8Array((BLOCK - (file.size % BLOCK)) % BLOCK),
  ]);
  return new Blob([...pieces, new Uint8Array(2 * BLOCK)], { type: "application/x-tar" });
}
