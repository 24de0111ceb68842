// What can be set of each kind of attachment: groups of rows of fields. A field says where in the attachment its value
// is, and how it is entered.

export const EASINGS = {
  evenly: { first: [0, 0], second: [1, 1] },
  "slow, fast, slow": { first: [0.42, 0], second: [0.58, 1] },
  "slow at first": { first: [0.42, 0], second: [1, 1] },
  "slow at last": { first: [0, 0], second: [0.58, 1] },
};

export const same = (a, b) => JSON.stringify(a) === JSON.stringify(b);
export const steps = (path) => path.split(".");
export const get = (from, path) => steps(path).reduce((at, step) => at?.[step], from);

const number = (path, name, unit, more = {}) => ({ as: "number", path, name, unit, ...more });
const percent = (path, name) => number(path, name, "%", { factor: 100, least: 0, most: 100 });
const whole = (path, name, unit, more = {}) => number(path, name, unit, { whole: true, ...more });
const colour = (path, name) => ({ as: "colour", path, name });
const check = (path, name, text = "") => ({ as: "check", path, name, text });
// There or not: switched on it begins as `fresh`.
const part = (path, name, fresh) => ({ as: "part", path, name, fresh });
const choice = (path, name, options) => ({ as: "choice", path, name, options });
const action = (does, text, name) => ({ as: "action", path: "", does, text, name });
const row = (title, ...fields) => ({ title, fields });

const easing = (path, name) =>
  choice(
    path,
    name,
    Object.entries(EASINGS).map(([text, value]) => [text, value]),
  );
const BLENDS = [
  ["covers", "normal"],
  ["multiply", "multiply"],
  ["screen", "screen"],
  ["overlay", "overlay"],
  ["add", "add"],
];
const WAYS = [
  ["fades", "fade"],
  ["grows", "grow"],
  ["slides, left", "left"],
  ["slides, right", "right"],
  ["slides, above", "top"],
  ["slides, below", "bottom"],
];
const FONTS = [
  ["Sans", "sans"],
  ["Sans regular", "sans_regular"],
  ["Sans bold", "sans_bold"],
  ["Condensed", "condensed"],
  ["Condensed medium", "condensed_medium"],
  ["Serif", "serif"],
  ["Serif bold", "serif_bold"],
  ["By hand", "hand"],
];

export const BOX = { fill: "#16202a", opacity: 0.78, padding: 10, radius: 5, border: null };
const EDGE = { colour: "#101418", width: 2 };
const SHADOW = { colour: "#000000", opacity: 0.55, shift: { x: 2, y: 3 }, softness: 3 };
const LINE_TEXT = { font: "sans", size: 26, colour: "#ffffff", box: null, line_width: null };
const turn = (path) => [
  check(`${path}.turns`, "Turns with the subject", "turns"),
  check(`${path}.grows`, "Grows with the subject", "grows"),
  check(`${path}.tilts`, "Lies on the subject, in its perspective", "tilts"),
];
const TURN = turn("facing");

const label = () => [
  {
    title: "Text",
    rows: [
      row("Text", {
        as: "text",
        path: "text",
        name: "Text of the label",
        id: "label-text",
        placeholder: "name of the subject",
        empty: null,
      }),
      row("Below it", {
        as: "text",
        path: "second",
        name: "Second, smaller text",
        empty: null,
        wrap: (text, old) => ({ size: 0.62, colour: null, ...old, text }),
        unwrap: (second) => second?.text ?? "",
      }),
      row("Font", choice("font", "Font", FONTS)),
      row(
        "Size, colour",
        number("size", "Size of the letters", "px", { least: 4, most: 400, id: "label-size" }),
        colour("colour", "Colour of the text"),
      ),
      row(
        "Outline",
        part("outline", "Line round the letters", EDGE),
        colour("outline.colour", "Colour of the outline"),
        number("outline.width", "Width of the outline", "px", { step: 0.5 }),
      ),
    ],
  },
  {
    title: "Box, shadow",
    rows: [
      row(
        "Box",
        part("box", "Box behind the text", BOX),
        colour("box.fill", "Colour of the box"),
        percent("box.opacity", "Opacity of the box"),
      ),
      row(
        "Padding, round",
        number("box.padding", "Room between text and edge of the box", "px"),
        number("box.radius", "Radius of the box's corners", "px"),
      ),
      row(
        "Border",
        part("box.border", "Line round the box", EDGE),
        colour("box.border.colour", "Colour of the border"),
        number("box.border.width", "Width of the border", "px", { step: 0.5 }),
      ),
      row(
        "Shadow",
        part("shadow", "Shadow", SHADOW),
        colour("shadow.colour", "Colour of the shadow"),
        percent("shadow.opacity", "Strength of the shadow"),
      ),
      row(
        "… right, down",
        number("shadow.shift.x", "Shadow moved right", ""),
        number("shadow.shift.y", "Shadow moved down", ""),
        number("shadow.softness", "Softness of the shadow", "soft"),
      ),
    ],
  },
  {
    title: "Line, place",
    rows: [
      row(
        "Line to it",
        part("line_width", "Line to the subject", 2),
        number("line_width", "Width of the line", "px", { least: 0.5, most: 40, step: 0.5 }),
        choice("line_course", "Course of the line", [
          ["straight", "straight"],
          ["elbow", "elbow"],
        ]),
      ),
      row(
        "Offset",
        number("offset.x", "Offset across", "", { derived: true }),
        number("offset.y", "Offset down", "px", { derived: true }),
      ),
      row(
        "Keeps",
        check("keeps_inside", "Kept inside the picture", "inside"),
        check("keeps_apart", "Makes room for other labels", "apart"),
      ),
      row("As it moves", ...TURN),
    ],
  },
];

const boundary = (one) => {
  const edges = one.closed ? one.corners.length : one.corners.length - 1;
  const places = [
    ["in the middle", "middle"],
    ...Array.from({ length: edges }, (_, i) => [`on the line from corner ${i + 1}`, { edge: i }]),
  ];
  return [
    {
      title: "Line",
      rows: [
        row(
          "Width, colour",
          number("width", "Width of the line", "px", { least: 0.5, most: 400, step: 0.5, id: "line-width" }),
          colour("colour", "Colour of the line"),
        ),
        row("Lies", check("on_ground", "Lies on the ground, in perspective", "on the ground")),
        row(
          "Soft edge, marks",
          number("softness", "Softness of the edges", ""),
          number("marks", "Radius of the marks on the corners", "px"),
        ),
        row(
          "Dash, gap",
          part("dashes", "Dashes", [30, 18]),
          number("dashes.0", "Length of a dash", ""),
          number("dashes.1", "Length of a gap", "px"),
        ),
        row(
          "Glow",
          part("glow", "Light round the line", { colour: "#ffffff", reach: 14, opacity: 0.6 }),
          colour("glow.colour", "Colour of the glow"),
          number("glow.reach", "Reach of the glow", "px"),
        ),
        row(
          "Tint inside",
          part("tint", "Colour over the ground inside", { colour: "#56b4e9", opacity: 0.25 }),
          colour("tint.colour", "Colour of the tint"),
          percent("tint.opacity", "Strength of the tint"),
        ),
      ],
    },
    {
      title: "Drawn on and off",
      rows: [
        row(
          "On, off in",
          whole("drawing.on_frames", "Frames to draw it on", "", { least: 0, most: 500, id: "line-on" }),
          whole("drawing.off_frames", "Frames to draw it off", "frames", { least: 0, most: 500 }),
        ),
        row("Easing", easing("drawing.easing", "Easing of drawing")),
        row("Goes off", check("drawing.goes_back", "Goes off the way it came", "the way it came")),
      ],
    },
    {
      title: "Text on it",
      rows: [
        row("Text", {
          as: "text",
          path: "label",
          name: "Text on the line",
          id: "line-text",
          empty: null,
          wrap: (text, old) => ({ ...(old ?? LINE_TEXT), text }),
          unwrap: (text) => text?.text ?? "",
        }),
        row("Where", choice("label_at", "Place of the text", places)),
        row(
          "Size, colour",
          number("label.size", "Size of the text", "px", { least: 4, most: 400 }),
          colour("label.colour", "Colour of the text"),
        ),
      ],
    },
  ];
};

// Which part of a picture sits on the subject: places of its middle.
function anchors({ size: [width, height], place }) {
  const sides = [
    ["left", 1],
    ["middle", 0],
    ["right", -1],
  ];
  const levels = [
    ["top", 1],
    ["middle", 0],
    ["bottom", -1],
  ];
  const at = (x, y) => ({ x: (x * width) / 2, y: (y * height) / 2 });
  const all = levels.flatMap(([level, y]) =>
    sides.map(([side, x]) => [
      level === side ? "its middle" : `its ${level} ${side}`.replace("middle ", "").replace(" middle", ""),
      at(x, y),
    ]),
  );
  return all.some(([, known]) => same(known, place)) ? all : [["nothing of it", place], ...all];
}

const picture = (one) => {
  const own = one.lies.face ? { factor: 100, unit: "%" } : { factor: 1, unit: "px" };
  const facing = turn("lies.facing");
  return [
    {
      title: one.lies.face ? "On the face of four corners" : "Facing the camera",
      rows: [
        row(
          "Size",
          number("size.0", "Width", "", { ...own, unit: "", keepsShape: true, id: "picture-width" }),
          number("size.1", "Height", own.unit, own),
        ),
        row(
          "Place",
          number("place.x", "Place across", "", { ...own, unit: "" }),
          number("place.y", "Place down", own.unit, own),
        ),
        row("Turn", number("turn", "Its own turn", "°")),
        ...(one.lies.face
          ? []
          : [
              row("On the subject", choice("place", "What of it sits on the subject", anchors(one))),
              row("As it moves", ...facing),
            ]),
      ],
    },
  ];
};

const flare = () => [
  {
    title: "Light",
    rows: [
      row(
        "Size, colour",
        number("size", "Radius of the glow", "px", { id: "flare-size" }),
        colour("colour", "Colour of the light"),
      ),
      row(
        "Rays, ghosts",
        whole("rays", "Number of rays", "", { least: 0, most: 60 }),
        whole("ghosts", "Number of ghosts", "", { least: 0, most: 8 }),
      ),
      row(
        "Streak, ring",
        number("streak", "Length of the streak, in radii of the glow", "", { step: 0.1 }),
        number("ring", "Radius of the ring, in radii of the glow", "× size", { step: 0.05 }),
      ),
      row("Moved by", number("place.x", "Moved right", ""), number("place.y", "Moved down", "px")),
      row(
        "When darker",
        part("fades_below", "Fades where the picture gets dark", 0.5),
        percent("fades_below", "Brightness below which it fades"),
      ),
    ],
  },
];

const EFFECTS = [
  ["blur", { blur: 12 }],
  ["mosaic", { mosaic: 16 }],
  ["plain colour", { plain: "#202428" }],
];
const cover = (one) => {
  const [kind] = Object.keys(one.effect);
  const detail = {
    blur: number("effect.blur", "Deviation of the blur", "px"),
    mosaic: whole("effect.mosaic", "Side of a square", "px"),
    plain: colour("effect.plain", "Colour of the cover"),
  }[kind];
  return [
    {
      title: "Cover",
      rows: [
        row("Effect", { ...choice("effect", "Effect", EFFECTS), byKey: true, id: "cover-effect" }, detail),
        row(
          "Outline",
          choice("outline", "Outline", [
            ["ellipse", "ellipse"],
            ["box", "box"],
            ["rounded box", "rounded"],
          ]),
        ),
        row("Size", number("size.0", "Width", "", { id: "cover-width" }), number("size.1", "Height", "px")),
        row("Place", number("place.x", "Place across", ""), number("place.y", "Place down", "px")),
        row("Turn, soft edge", number("turn", "Its own turn", "°"), number("feather", "Softness of the edge", "px")),
        row("Covers", check("inside_out", "Everything but what is inside", "all but the inside")),
        row("As it moves", ...TURN),
      ],
    },
  ];
};

const front = () => [
  {
    title: "In front",
    rows: [
      row("Moves", check("rides", "Goes with the subject", "with the subject")),
      row("Edge", number("feather", "Softness of the edge", "px soft")),
      row(
        "Only where",
        part("brightness", "Only what has a brightness", { from: 0, to: 0.35, softness: 0.1 }),
        percent("brightness.from", "From this brightness"),
        percent("brightness.to", "Up to this brightness"),
      ),
      row("… fading over", percent("brightness.softness", "Over how much brightness it comes in")),
    ],
  },
];

const FRAMES = (name) => ({ whole: true, nullable: true, placeholder: name });
const shown = (kind) => [
  {
    title: "Shown",
    rows: [
      row(
        "Shown",
        check("show.on", "Shown", "on"),
        whole("show.order", "Order: higher lies further in front", "order"),
      ),
      row("Opacity, blend", percent("show.opacity", "Opacity"), choice("show.blend", "Blend", BLENDS)),
      row(
        "From, to frame",
        number("show.first", "First frame on which it is shown", "", { ...FRAMES("comes"), id: "show-first" }),
        number("show.last", "Last frame on which it is shown", "", { ...FRAMES("goes"), id: "show-last" }),
      ),
    ],
  },
  ...(kind === "boundary" || kind === "front"
    ? []
    : [
        {
          title: "Comes, goes, moves",
          rows: [
            row(
              "Comes in",
              choice("show.enters.way", "How it comes", WAYS),
              whole("show.enters.frames", "Frames in which it comes", "fr"),
            ),
            row("", easing("show.enters.easing", "Easing of coming")),
            row(
              "Goes in",
              choice("show.leaves.way", "How it goes", WAYS),
              whole("show.leaves.frames", "Frames in which it goes", "fr"),
            ),
            row("", easing("show.leaves.easing", "Easing of going")),
            row(
              "Takes",
              choice("show.takes.axis", "Which motion it takes", [
                ["all directions", "both"],
                ["left and right", "across"],
                ["up and down", "up_and_down"],
              ]),
              percentOfMotion(),
            ),
            // What shows the film's own picture has its blur already.
            ...(kind === "cover"
              ? []
              : [
                  row(
                    "Shutter",
                    number("show.shutter", "Blur from motion: how long the shutter is open", "°", {
                      least: 0,
                      most: 360,
                      step: 15,
                    }),
                    action(
                      "measureShutter",
                      "As filmed",
                      "Measures how long the shutter of the film was open, on the pins that go fast",
                    ),
                  ),
                ]),
          ],
        },
      ]),
];

function percentOfMotion() {
  return number("show.takes.share", "Share of the motion", "%", { factor: 100, least: -1000, most: 1000 });
}

const KINDS = { label, boundary, picture, flare, cover, front };

export const groupsOf = (one) => [...KINDS[one.kind](one), ...shown(one.kind)];

// The numbers among them that can have keyframes. Size, turn, place and opacity have some of their own, on top of what
// is set; the others say when, not how.
const NOT_KEYABLE = /^(size|turn|place\.[xy]|drawing\..*|show\.(opacity|order|first|last|enters\..*|leaves\..*))$/;
export const isKeyable = ({ as, derived, path }) => as === "number" && !derived && !NOT_KEYABLE.test(path);
export const keyableOf = (one) =>
  groupsOf(one)
    .flatMap((group) => group.rows.flatMap((row) => row.fields))
    .filter((field) => isKeyable(field) && typeof get(one, field.path) === "number");
