//! The forms of the attachments, in the words of the page.

use std::collections::BTreeMap;

use jampin_core::attachment::{Attachment, Axis, Blend, Font, Label, LineCourse, TransitionKind};
use jampin_core::geometry::Size;
use serde::Serialize;

use super::covers::{cover, front};
use super::easing_options;
use super::field::{
    Group, Row, action, as_it_moves, check, choice, choice_of, colour, frame, group, number, part, percent, row, text,
    whole,
};
use super::pictures::{film_clip, picture_facing, pictures_on_faces};
use super::prototypes::{self, edge, glow, line_text, second, shadow, tint};

/// The form of a kind.
#[derive(Serialize)]
pub(super) struct Form {
    name: &'static str,
    /// The same in a sentence, one and several of it.
    counted: [&'static str; 2],
    groups: Vec<Group>,
}

/// By the kinds as documents call them.
pub(super) fn all(size: Size) -> BTreeMap<&'static str, Form> {
    let form = |name, counted, groups: Vec<Group>, prototypes: &[Attachment]| Form {
        name,
        counted,
        groups: limited(groups, prototypes),
    };
    let [facing, face] = prototypes::pictures();
    let pictures = [limited(vec![picture_facing()], &facing), limited(pictures_on_faces(), &face)].concat();
    let picture_groups = [pictures, limited(shown(true, true), &facing)].concat();
    let [clip_facing, clip_face] = prototypes::clips();
    let clips = [
        limited(film_clip(), &clip_facing),
        limited(vec![picture_facing()], &clip_facing),
        limited(pictures_on_faces(), &clip_face),
        limited(shown(true, true), &clip_facing),
    ]
    .concat();
    let with = |own: Vec<Group>, comes, blurs| [own, shown(comes, blurs)].concat();
    BTreeMap::from([
        ("label", form("Label", ["label", "labels"], with(label(), true, true), &prototypes::labels())),
        (
            "boundary",
            form(
                "Boundary line",
                ["boundary line", "boundary lines"],
                with(boundary(), false, false),
                &prototypes::boundaries(),
            ),
        ),
        ("picture", Form { name: "Picture", counted: ["picture", "pictures"], groups: picture_groups }),
        ("clip", Form { name: "Film clip", counted: ["film clip", "film clips"], groups: clips }),
        ("flare", form("Flare", ["flare", "flares"], with(flare(), true, true), &prototypes::flares(size))),
        (
            "sparks",
            form(
                "Sparks",
                ["spray of sparks", "sprays of sparks"],
                with(sparks(), false, false),
                &prototypes::sparks(),
            ),
        ),
        ("cover", form("Cover", ["cover", "covers"], with(cover(), true, false), &prototypes::covers())),
        ("front", form("In front", ["front", "fronts"], with(front(), false, false), &prototypes::fronts())),
    ])
}

fn limited(groups: Vec<Group>, prototypes: &[Attachment]) -> Vec<Group> {
    let row = |row: Row| Row { fields: row.fields.into_iter().map(|one| one.limited(prototypes)).collect(), ..row };
    groups.into_iter().map(|group| Group { rows: group.rows.into_iter().map(row).collect(), ..group }).collect()
}

const FONTS: [(&str, Font); 8] = [
    ("Sans", Font::Sans),
    ("Sans regular", Font::SansRegular),
    ("Sans bold", Font::SansBold),
    ("Condensed", Font::Condensed),
    ("Condensed medium", Font::CondensedMedium),
    ("Serif", Font::Serif),
    ("Serif bold", Font::SerifBold),
    ("By hand", Font::Hand),
];
const BLENDS: [(&str, Blend); 5] = [
    ("covers", Blend::Normal),
    ("multiply", Blend::Multiply),
    ("screen", Blend::Screen),
    ("overlay", Blend::Overlay),
    ("add", Blend::Add),
];
const WAYS: [(&str, TransitionKind); 6] = [
    ("fades", TransitionKind::Fade),
    ("grows", TransitionKind::Grow),
    ("slides, left", TransitionKind::Left),
    ("slides, right", TransitionKind::Right),
    ("slides, above", TransitionKind::Top),
    ("slides, below", TransitionKind::Bottom),
];

fn label() -> Vec<Group> {
    let usual_box = Label::new().box_style;
    let texts = [
        row("Text", [text("text", "Text of the label").id("label-text").with("placeholder", "name of the subject")]),
        row("Below it", [text("second", "Second, smaller text").within(&second())]),
        row("Font", [choice("font", "Font", FONTS)]),
        row(
            "Size, colour",
            [
                number("size", "Size of the letters").unit("px").id("label-size").fixed(),
                colour("colour", "Colour of the text"),
            ],
        ),
        row(
            "Outline",
            [
                part("outline", "Line round the letters", &edge()),
                colour("outline.colour", "Colour of the outline"),
                number("outline.width", "Width of the outline").unit("px").step(0.5),
            ],
        ),
    ];
    let boxes = [
        row(
            "Box",
            [
                part("box", "Box behind the text", &usual_box),
                colour("box.fill", "Colour of the box"),
                percent("box.opacity", "Opacity of the box"),
            ],
        ),
        row(
            "Padding, round",
            [
                number("box.padding", "Room between text and edge of the box").unit("px"),
                number("box.radius", "Radius of the box's corners").unit("px"),
            ],
        ),
        row(
            "Border",
            [
                part("box.border", "Line round the box", &edge()),
                colour("box.border.colour", "Colour of the border"),
                number("box.border.width", "Width of the border").unit("px").step(0.5),
            ],
        ),
        row(
            "Shadow",
            [
                part("shadow", "Shadow", &shadow()),
                colour("shadow.colour", "Colour of the shadow"),
                percent("shadow.opacity", "Strength of the shadow"),
            ],
        ),
        row(
            "… right, down",
            [
                number("shadow.shift.x", "Shadow moved right"),
                number("shadow.shift.y", "Shadow moved down"),
                number("shadow.softness", "Softness of the shadow").unit("soft"),
            ],
        ),
    ];
    let courses = [("straight", LineCourse::Straight), ("elbow", LineCourse::Elbow)];
    let places = [
        row(
            "Line to it",
            [
                part("line_width", "Line to the subject", &Label::new().line_width),
                number("line_width", "Width of the line").unit("px").step(0.5),
                choice("line_course", "Course of the line", courses),
            ],
        ),
        row(
            "Offset",
            [
                number("offset.x", "Offset across").with("derived", true),
                number("offset.y", "Offset down").unit("px").with("derived", true),
            ],
        ),
        row("Turn", [number("turn", "Its own turn").unit("°").fixed()]),
        row(
            "Keeps",
            [
                check("keeps_inside", "Kept inside the picture", "inside"),
                check("keeps_apart", "Makes room for other labels", "apart"),
            ],
        ),
        as_it_moves(["facing.turns", "facing.grows", "facing.tilts"]),
    ];
    vec![group("Text", texts), group("Box, shadow", boxes), group("Line, place", places)]
}

fn boundary() -> Vec<Group> {
    let line = [
        row(
            "Width, colour",
            [
                number("width", "Width of the line").unit("px").step(0.5).id("line-width"),
                colour("colour", "Colour of the line"),
            ],
        ),
        row("Lies", [check("on_ground", "Lies on the ground, in perspective", "on the ground")]),
        row(
            "Soft edge, marks",
            [
                number("softness", "Softness of the edges"),
                number("marks", "Radius of the marks on the corners").unit("px"),
            ],
        ),
        row(
            "Dash, gap",
            [
                part("dashes", "Dashes", &[30, 18]),
                number("dashes.0", "Length of a dash"),
                number("dashes.1", "Length of a gap").unit("px"),
            ],
        ),
        row(
            "Glow",
            [
                part("glow", "Light round the line", &glow()),
                colour("glow.colour", "Colour of the glow"),
                number("glow.reach", "Reach of the glow").unit("px"),
            ],
        ),
        row(
            "Tint inside",
            [
                part("tint", "Colour over the ground inside", &tint()),
                colour("tint.colour", "Colour of the tint"),
                percent("tint.opacity", "Strength of the tint"),
            ],
        ),
    ];
    let drawn = [
        row(
            "On, off in",
            [
                whole("drawing.on_frames", "Frames to draw it on").id("line-on").fixed(),
                whole("drawing.off_frames", "Frames to draw it off").unit("frames").fixed(),
            ],
        ),
        row("Easing", [choice("drawing.easing", "Easing of drawing", easing_options())]),
        row("Goes off", [check("drawing.goes_back", "Goes off the way it came", "the way it came")]),
    ];
    let words = [
        row("Text", [text("label", "Text on the line").id("line-text").within(&line_text())]),
        row("Where", [choice_of("label_at", "Place of the text", "edges")]),
        row(
            "Size, colour",
            [number("label.size", "Size of the text").unit("px"), colour("label.colour", "Colour of the text")],
        ),
    ];
    vec![group("Line", line), group("Drawn on and off", drawn), group("Text on it", words)]
}

fn flare() -> Vec<Group> {
    let light = [
        row(
            "Size, colour",
            [
                number("size", "Radius of the glow").unit("px").id("flare-size").fixed(),
                colour("colour", "Colour of the light"),
            ],
        ),
        row("Rays, ghosts", [whole("rays", "Number of rays"), whole("ghosts", "Number of ghosts")]),
        row(
            "Streak, ring",
            [
                number("streak", "Length of the streak, in radii of the glow").step(0.1),
                number("ring", "Radius of the ring, in radii of the glow").unit("× size").step(0.05),
            ],
        ),
        row("Moved by", [number("place.x", "Moved right").fixed(), number("place.y", "Moved down").unit("px").fixed()]),
        row(
            "When darker",
            [
                part("fades_below", "Fades where the picture gets dark", &0.5),
                percent("fades_below", "Brightness below which it fades"),
            ],
        ),
    ];
    vec![group("Light", light)]
}

fn sparks() -> Vec<Group> {
    let flying = [
        row(
            "Number, life",
            [
                number("rate", "Sparks a frame").step(0.5).id("sparks-rate"),
                number("life", "Life of a spark").unit("frames"),
            ],
        ),
        row(
            "Speed, pull",
            [
                number("speed", "Speed at first, in pixels a frame").step(0.5),
                number("pull", "Pulled down by, in pixels a frame, each frame").unit("px/fr").step(0.05),
            ],
        ),
        row(
            "Direction, spread",
            [
                number("direction", "Direction, from straight up, clockwise"),
                number("spread", "How far apart they fly").unit("°"),
            ],
        ),
        row(
            "Set off",
            [number("place.x", "Set off further right"), number("place.y", "Set off further down").unit("px")],
        ),
        row("When it moves", [check("stays", "Stay where they set off in the picture", "they stay behind")]),
    ];
    let looks = [
        row(
            "Size, at the end",
            [
                number("size", "Radius at first").step(0.5).id("sparks-size"),
                number("end_size", "Radius at the end, in shares").unit("× size").step(0.1),
            ],
        ),
        row("Colour, at the end", [colour("colour", "Colour at first"), colour("end_colour", "Colour at the end")]),
        row(
            "Drawn out, soft",
            [
                number("streak", "Drawn out along its way, in frames").step(0.1),
                number("softness", "Softness").unit("px").step(0.1),
            ],
        ),
        row("Which", [whole("seed", "Number from which they are drawn").fixed()]),
    ];
    vec![group("Flight", flying), group("Looks", looks)]
}

/// What all have. `comes`: it has an entrance and an exit; `blurs`: also blur from motion, which what shows the film's
/// own picture has already.
fn shown(comes: bool, blurs: bool) -> Vec<Group> {
    let shown = [
        row(
            "Shown",
            [
                check("show.on", "Shown", "on"),
                whole("show.order", "Order: higher lies further in front").unit("order").fixed(),
            ],
        ),
        row("Opacity, blend", [percent("show.opacity", "Opacity").fixed(), choice("show.blend", "Blend", BLENDS)]),
        row(
            "From, to frame",
            [
                frame("show.first", "First frame on which it is shown", "comes").id("show-first"),
                frame("show.last", "Last frame on which it is shown", "goes").id("show-last"),
            ],
        ),
    ];
    let axes = [("all directions", Axis::Both), ("left and right", Axis::Across), ("up and down", Axis::UpAndDown)];
    let shutter = row(
        "Shutter",
        [
            number("show.shutter", "Blur from motion: how long the shutter is open").unit("°").step(15.0),
            action(
                "measureShutter",
                "As filmed",
                "Measures how long the shutter of the film was open, on the pins that go fast",
            ),
        ],
    );
    let moves = [
        row(
            "Comes in",
            [
                choice("show.enters.way", "How it comes", WAYS),
                whole("show.enters.frames", "Frames in which it comes").unit("fr").fixed(),
            ],
        ),
        row("", [choice("show.enters.easing", "Easing of coming", easing_options())]),
        row(
            "Goes in",
            [
                choice("show.leaves.way", "How it goes", WAYS),
                whole("show.leaves.frames", "Frames in which it goes").unit("fr").fixed(),
            ],
        ),
        row("", [choice("show.leaves.easing", "Easing of going", easing_options())]),
        row(
            "Takes",
            [
                choice("show.takes.axis", "Which motion it takes", axes),
                percent("show.takes.share", "Share of the motion"),
            ],
        ),
    ];
    let moves = moves.into_iter().chain(blurs.then_some(shutter));
    let groups = [group("Shown", shown)];
    groups.into_iter().chain(comes.then(|| group("Comes, goes, moves", moves))).collect()
}
