//! What has been done to the demo's shots: names, a flare, an outline. Pins are put where the truth says, as a person
//! would by hand.

use anyhow::Context;
use jampin_core::attachment::{Attachment, AttachmentKind};
use jampin_core::attachment::{
    Blend, Boundary, Brightness, Corner, Cover, CoverEffect, CoverShape, Edge, Flare, Font, ForegroundMatte, Glow,
    Label, LineCourse, Orientation, Picture, PictureMount, Placement, Second, Shadow, Show, Tint,
};
use jampin_core::document::Subject;
use jampin_core::edit::Edit;
use jampin_core::follow::Direction;
use jampin_core::geometry::{Point, Size};
use jampin_core::motion::CarriedPoint;
use jampin_core::pin::Pin;
use jampin_core::time::Frame;
use jampin_core::track::Sample;
use jampin_demo::Truth;
use jampin_jobs::{FollowTask, Library, Task, keep_picture};
use jampin_store::{Picture as StoredPicture, Store};
use uuid::Uuid;

use crate::wait::wait_for;

/// The boundary stones of the yard in order, those under trees carried.
const STONES: [(&str, bool); 6] = [
    ("stone 1", false),
    ("stone 2", false),
    ("stone 3", true),
    ("stone 4", false),
    ("stone 5", true),
    ("stone 6", false),
];
/// The frame on which the stones are put.
const STONES_ON: u32 = 60;
/// The bosses at the corners of the panel, clockwise from the top left, and the frame on which they are put.
const BOSSES: [&str; 4] = ["boss 1", "boss 2", "boss 3", "boss 4"];
const BOSSES_ON: u32 = 70;
const CREST: &[u8] = include_bytes!("../../demo/pictures/crest.svg");
/// The films' size.
const PICTURE: Size = Size::new(1280, 720);

/// A shot that is being worked on.
pub(crate) struct Bench<'a> {
    pub store: &'a Store,
    pub library: &'a Library,
    pub project: Uuid,
    pub shot: Uuid,
    pub truth: Truth,
}

impl Bench<'_> {
    /// *Passing loop*: two names, a flare on the headlamp, the number plate covered. The railcar's second guide is
    /// behind the mast.
    pub async fn passing_loop(&self) -> anyhow::Result<()> {
        let railcar = Label {
            second: Some(Second { text: "to the upper yard".into(), size: 0.62, colour: Some("#ffd98a".into()) }),
            line_course: LineCourse::Elbow,
            keeps_inside: true,
            ..Label::new()
        };
        let plate = Cover {
            outline: CoverShape::Rounded,
            place: Point::default(),
            size: [76.0, 48.0],
            rotation: 0.0,
            orientation: Orientation { since: Frame(60), ..Orientation::default() },
            feather: 2.0,
            inside_out: false,
            effect: CoverEffect::Mosaic(13),
        };
        let named = Attachment::label(Uuid::new_v4(), railcar);
        self.subject(0, "Railcar 27", ("emblem", &[60, 136]), vec![named]).await?;
        self.subject(1, "Home signal", ("signal", &[60]), vec![Attachment::label(Uuid::new_v4(), Label::new())])
            .await?;
        let flare = Flare::looks(PICTURE).swap_remove(0).flare;
        let show = Show { blend: Blend::Screen, ..Show::default() };
        let flare = Attachment { show, ..Attachment::new(Uuid::new_v4(), AttachmentKind::Flare(flare)) };
        self.subject(2, "Headlamp", ("lamp", &[60, 110, 150]), vec![flare]).await?;
        let covered = Attachment::new(Uuid::new_v4(), AttachmentKind::Cover(plate));
        self.subject(3, "Number plate", ("number", &[60, 136]), vec![covered]).await?;
        Ok(())
    }

    /// *Yard from the air*: four stones followed, two carried, a line round all of them.
    pub async fn yard(&self) -> anyhow::Result<()> {
        let (mut subject, mut corners) = (None, Vec::new());
        for (name, hidden) in STONES {
            let at = self.place(name, STONES_ON)?;
            let corner = match (hidden, subject) {
                (true, Some(subject)) => {
                    let point = CarriedPoint::new(Uuid::new_v4(), Frame(STONES_ON), at);
                    let corner = Corner::Point(point.id);
                    self.edit("Carried point", Edit::PutPoint { subject, point, index: None }).await?;
                    corner
                }
                (_, Some(subject)) => {
                    let pin = pin(STONES_ON, at);
                    let put = Edit::PutPin { subject, pin: pin.clone(), index: None };
                    self.follow("Another pin", vec![put], &pin, &[STONES_ON], name).await?;
                    Corner::Pin(pin.id)
                }
                (_, None) => {
                    let (made, pin) = self.subject(0, "The yard", (name, &[STONES_ON]), Vec::new()).await?;
                    subject = Some(made);
                    Corner::Pin(pin)
                }
            };
            corners.push(corner);
        }
        let subject = subject.context("the first stone can be seen")?;
        let boundary = Boundary {
            colour: Some("#f6e3a1".into()),
            on_ground: true,
            width: 7.0,
            marks: 13.0,
            glow: Some(Glow { colour: "#fff6d8".into(), reach: 14.0, opacity: 0.55 }),
            tint: Some(Tint { colour: "#f6e3a1".into(), opacity: 0.12 }),
            label: Some(Label { box_style: None, line_width: None, size: 30.0, ..Label::named("The yard, 1 acre") }),
            ..Boundary::through(corners, true)
        };
        let kind = AttachmentKind::Boundary(Box::new(boundary));
        let attachment = Attachment::new(Uuid::new_v4(), kind);
        self.edit("Boundary line", Edit::PutAttachment { subject, attachment, index: None }).await
    }

    /// *Clock tower*: four bosses followed, a crest on the panel between them, a name that passes behind the branch.
    pub async fn clock_tower(&self) -> anyhow::Result<()> {
        let picture = Uuid::new_v4();
        let pixels = keep_picture(self.library, picture, CREST)?;
        let [width, height] = pixels.map(|side| side as i32);
        let stored = StoredPicture { id: picture, project_id: self.project, name: "crest.svg".into(), width, height };
        self.store.create_picture(&stored).await?;
        let (subject, first) = self.subject(0, "Panel", (BOSSES[0], &[BOSSES_ON]), Vec::new()).await?;
        let mut corners = [Corner::Pin(first); 4];
        for (corner, name) in corners.iter_mut().zip(BOSSES).skip(1) {
            let pin = pin(BOSSES_ON, self.place(name, BOSSES_ON)?);
            let put = Edit::PutPin { subject, pin: pin.clone(), index: None };
            self.follow("Another pin", vec![put], &pin, &[BOSSES_ON], name).await?;
            *corner = Corner::Pin(pin.id);
        }
        // As wide as it is high, in the middle of a panel half as wide again as it is high.
        let crest = Picture {
            picture,
            pixels,
            mount: PictureMount::Face(corners),
            place: Point::default(),
            size: [0.56, 0.8],
            rotation: 0.0,
        };
        let show = Show { blend: Blend::Multiply, ..Show::default() };
        let crest = Attachment { show, ..Attachment::new(Uuid::new_v4(), AttachmentKind::Picture(crest)) };
        self.edit("Crest", Edit::PutAttachment { subject, attachment: crest, index: None }).await?;
        let name = Label {
            line_width: None,
            size: 44.0,
            font: Font::Serif,
            box_style: None,
            outline: Some(Edge { colour: "#3a2c18".into(), width: 2.5 }),
            shadow: Some(Shadow { colour: "#000000".into(), opacity: 0.5, shift: Point::new(2.0, 4.0), softness: 4.0 }),
            orientation: Orientation { since: Frame(BOSSES_ON), turns: true, grows: true, tilts: false },
            placement: Placement::Offset(Point::new(505.0, -95.0)),
            ..Label::named("Built 1887")
        };
        let dark = ForegroundMatte {
            outline: Vec::new(),
            since: Frame(0),
            rides: false,
            feather: 0.0,
            brightness: Some(Brightness { from: 0.0, to: 0.42, softness: 0.12 }),
        };
        let (mut name, mut front) = (
            Attachment::label(Uuid::new_v4(), name),
            Attachment::new(Uuid::new_v4(), AttachmentKind::Foreground(dark)),
        );
        // The crest lies in front of both: only the name passes behind the branch.
        name.show.order = -2;
        front.show.order = -1;
        self.subject(1, "Clock", ("hub", &[BOSSES_ON]), vec![name, front]).await?;
        Ok(())
    }

    /// A new subject with one pin that is followed; the subject and the pin.
    async fn subject(
        &self,
        index: usize,
        name: &str,
        (point, by_hand): (&str, &[u32]),
        attachments: Vec<Attachment>,
    ) -> anyhow::Result<(Uuid, Uuid)> {
        let pin = pin(by_hand[0], self.place(point, by_hand[0])?);
        let letter = char::from(b'A' + index as u8);
        let pins = vec![pin.clone()];
        let subject = Subject { pins, attachments, ..Subject::new(Uuid::new_v4(), name, letter, index) };
        let (id, title) = (subject.id, format!("New subject {letter}"));
        self.follow(&title, vec![Edit::AddSubject { index, subject }], &pin, by_hand, point).await?;
        Ok((id, pin.id))
    }

    /// Makes edits that put a pin, sets it by hand on some frames, and follows it.
    async fn follow(
        &self,
        title: &str,
        mut edits: Vec<Edit>,
        pin: &Pin,
        by_hand: &[u32],
        point: &str,
    ) -> anyhow::Result<()> {
        let guide = |frame: &u32| Ok((Frame(*frame), Some(Sample::guide(self.place(point, *frame)?))));
        let samples = by_hand.iter().map(guide).collect::<anyhow::Result<_>>()?;
        edits.push(Edit::SetSamples { pin: pin.id, samples });
        let directions = vec![Direction::Forward, Direction::Backward];
        let task = FollowTask { shot: self.shot, pin: pin.id, from: pin.frame, directions, single: false };
        let job = Task::Follow(task).into_job(self.project)?;
        let revision = self.store.shot(self.shot).await?.info.revision;
        let (_, job) = self.store.edit_with_job(self.shot, revision, title, &Edit::All { edits }, job).await?;
        wait_for(self.store, job).await
    }

    async fn edit(&self, title: &str, edit: Edit) -> anyhow::Result<()> {
        let revision = self.store.shot(self.shot).await?.info.revision;
        self.store.edit(self.shot, revision, title, &edit).await?;
        Ok(())
    }

    fn place(&self, point: &str, frame: u32) -> anyhow::Result<Point> {
        let places = &self.truth.point(point).context("the demo's points are in its truth")?.place;
        let [x, y] = places[frame as usize];
        Ok(Point::new(x, y))
    }
}

fn pin(frame: u32, at: Point) -> Pin {
    Pin::new(Uuid::new_v4(), Frame(frame), at, [41, 41], [40, 24])
}
