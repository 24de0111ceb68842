// The weave below the rows: the picture through the pin, a column a frame, with the match over it.

const CAPTIONS = { rows: "weave: across", columns: "weave: down" };

export class Weave {
  constructor(redraw) {
    this.redraw = redraw;
    this.images = {};
    this.address = null;
  }

  // Asks for the pictures of a pin; `version` changes whenever its samples do.
  show(path, pin, version) {
    const address = pin && `${path}/pins/${pin}/weave`;
    if (address === this.address && version === this.version) return;
    const other = address !== this.address;
    Object.assign(this, { address, version });
    if (other) this.images = {};
    if (!address) return;
    for (const which of ["rows", "columns"]) {
      const image = new Image();
      image.onload = () => {
        if (this.address !== address || this.version !== version) return;
        this.images[which] = image;
        this.redraw();
      };
      image.src = `${address}/${which}.png?v=${version}`;
    }
  }

  draw(context, scale, range, top, height) {
    const upper = Math.round(height * 0.58);
    this.band(context, scale, range, "rows", top, upper - 2);
    this.band(context, scale, range, "columns", top + upper, height - upper);
  }

  band(context, scale, range, which, top, height) {
    context.fillStyle = "#8a8a8a";
    context.fillRect(0, top, scale.width, height);
    const image = this.images[which];
    const [from, to] = [scale.x(range.first), scale.x(range.last + 1)];
    context.imageSmoothingEnabled = false;
    if (image) context.drawImage(image, from, top, to - from, height);
    context.fillStyle = "rgba(20, 22, 24, 0.66)";
    context.font = '11px "Public Sans", sans-serif';
    const { width } = context.measureText(CAPTIONS[which]);
    context.fillRect(6, top + 2, width + 10, 15);
    context.fillStyle = "#fff";
    context.fillText(CAPTIONS[which], 11, top + 13);
  }
}
