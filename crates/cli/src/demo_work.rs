//! What has been done to the demo's shots: names, a flare, an outline. Pins are put where the truth says, as a person
//! would by hand.

use anyhow::Context;
use jampin_core::action::{Ground, new_area_subject};
use jampin_core::attachment::{Attachment, AttachmentKind};
use jampin_core::attachment::{
    Blend, Boundary, Brightness, Corner, Cover, CoverEffect, CoverShape, Edge, Flare, Font, ForegroundMatte, Glow,
    Label, LineCourse, LyingFace, Orientation, Picture, PictureMount, Placement, Second, Shadow, Show, Sparks, Tint,
};
use jampin_core::document::{Area, DrawnOutline, Fineness, Subject};
use jampin_core::edit::Edit;
use jampin_core::evaluate::face_of_area;
use jampin_core::follow::Direction;
use jampin_core::geometry::{Point, Rect, Size};
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
const CREST_NAME: &str = "crest.svg";
/// The frames on which the station's front is outlined, and whoever walks past.
const FRONT_ON: u32 = 20;
const VISITOR_ON: u32 = 70;
/// The frame on which the pennant is outlined: all of it is sharp there.
const PENNANT_ON: u32 = 20;
/// Round the visitor's hat and coat, from the sign on the rucksack, as painted; and how large that is seen.
const VISITOR: [(f64, f64); 12] = [
    (18.0, -104.0),
    (46.0, -104.0),
    (54.0, -92.0),
    (76.0, -88.0),
    (60.0, -76.0),
    (56.0, -54.0),
    (70.0, -36.0),
    (74.0, 250.0),
    (-10.0, 250.0),
    (-28.0, -40.0),
    (18.0, -56.0),
    (8.0, -90.0),
];
const VISITOR_SCALE: f64 = 1.8;
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
        let picture = self.crest().await?;
        let (subject, first) = self.subject(0, "Panel", (BOSSES[0], &[BOSSES_ON]), Vec::new()).await?;
        let mut corners = [Corner::Pin(first); 4];
        for (corner, name) in corners.iter_mut().zip(BOSSES).skip(1) {
            let pin = pin(BOSSES_ON, self.place(name, BOSSES_ON)?);
            let put = Edit::PutPin { subject, pin: pin.clone(), index: None };
            self.follow("Another pin", vec![put], &pin, &[BOSSES_ON], name).await?;
            *corner = Corner::Pin(pin.id);
        }
        // As wide as it is high, in the middle of a panel half as wide again as it is high.
        let crest = Picture { mount: PictureMount::Face(corners), size: [0.56, 0.8], ..picture };
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

    /// *Station front*: the gable and the square followed as areas, a crest on the one and words on the other; whoever
    /// walks past stands in front of both, and is not compared; sparks off the fire.
    pub async fn station_front(&self) -> anyhow::Result<()> {
        self.visitor().await?;
        let picture = self.crest().await?;
        let field = self.outline(["field 1", "field 2", "field 3", "field 4"])?;
        let field = Area::new(Uuid::new_v4(), Frame(FRONT_ON), field, std::array::from_fn(|_| Uuid::new_v4()));
        let [_, corners @ ..] = field.carriers;
        let mount = PictureMount::Face(corners.map(Corner::Pin));
        let crest = Picture { mount, size: [0.72, 0.9], ..picture };
        let show = Show { blend: Blend::Multiply, order: -1, ..Show::default() };
        let crest = Attachment { show, ..Attachment::new(Uuid::new_v4(), AttachmentKind::Picture(crest)) };
        self.area(1, "Gable", &field, vec![crest]).await?;
        let ground = self.outline(["square 1", "square 2", "square 3", "square 4"])?;
        let ground = Area::new(Uuid::new_v4(), Frame(FRONT_ON), ground, std::array::from_fn(|_| Uuid::new_v4()));
        let words = Label {
            line_width: None,
            box_style: None,
            size: 46.0,
            colour: "#fff4d6".into(),
            lies: face_of_area(&ground),
            ..Label::named("Open day")
        };
        let mut words = Attachment::label(Uuid::new_v4(), words);
        words.show = Show { blend: Blend::Overlay, order: -1, ..words.show };
        self.area(2, "The square", &ground, vec![words]).await?;
        let sparks = Sparks { rate: 26.0, ..Sparks::for_picture(PICTURE) };
        let sparks = Attachment::new(Uuid::new_v4(), AttachmentKind::Sparks(sparks));
        self.subject(3, "Fire basket", ("fire", &[FRONT_ON]), vec![sparks]).await?;
        Ok(())
    }

    /// Who walks past: not compared where they are, and in front of everything.
    async fn visitor(&self) -> anyhow::Result<()> {
        let sign = self.place("sewn sign", VISITOR_ON)?;
        let outline = VISITOR.map(|(x, y)| sign + Point::new(x, y) * VISITOR_SCALE).to_vec();
        let front = ForegroundMatte { outline, since: Frame(VISITOR_ON), rides: true, feather: 1.5, brightness: None };
        let front = Attachment::new(Uuid::new_v4(), AttachmentKind::Foreground(front));
        let (subject, _) = self.subject(0, "Visitor", ("sewn sign", &[VISITOR_ON]), vec![front]).await?;
        self.edit("Visitor is a keep-out", Edit::SetKeepOut { subject, keep_out: true }).await
    }

    /// *Pennant*: the cloth followed as a surface that bends, the crest in its shield.
    pub async fn pennant(&self) -> anyhow::Result<()> {
        let rim: Vec<String> = (1..=11).map(|number| format!("rim {number}")).collect();
        let rim: Vec<&str> = rim.iter().map(String::as_str).collect();
        let carriers = std::array::from_fn(|_| Uuid::new_v4());
        let mut cloth = Area::new(Uuid::new_v4(), Frame(PENNANT_ON), self.outline_on(&rim, PENNANT_ON)?, carriers);
        cloth.bends = Some(Fineness::Medium);
        let shield = self.outline_on(&["shield left", "shield right", "shield top", "shield foot"], PENNANT_ON)?;
        let shield = Rect::around_all(&shield.points).context("the shield has four points")?;
        let face = LyingFace { corners: shield.corners(), since: Frame(PENNANT_ON), bends: Some(cloth.id) };
        let picture = self.crest().await?;
        let size = Picture::within(face.sides(PICTURE), picture.pixels).map(|side| 0.8 * side);
        let crest = Picture { mount: PictureMount::Drawn(face), size, ..picture };
        let show = Show { blend: Blend::Multiply, ..Show::default() };
        let crest = Attachment { show, ..Attachment::new(Uuid::new_v4(), AttachmentKind::Picture(crest)) };
        self.area(0, "Pennant", &cloth, vec![crest]).await
    }

    fn outline(&self, points: [&str; 4]) -> anyhow::Result<DrawnOutline> {
        self.outline_on(&points, FRONT_ON)
    }

    fn outline_on(&self, points: &[&str], frame: u32) -> anyhow::Result<DrawnOutline> {
        let places = points.iter().map(|point| self.place(point, frame)).collect::<anyhow::Result<_>>()?;
        Ok(DrawnOutline::straight(places))
    }

    /// A new subject with an area that is followed.
    async fn area(&self, index: usize, name: &str, area: &Area, hung: Vec<Attachment>) -> anyhow::Result<()> {
        let stored = self.store.shot(self.shot).await?;
        let ground = Ground { shot: &stored.shot, range: stored.info.range, size: PICTURE };
        let ids = [Uuid::new_v4(), Uuid::new_v4()];
        let planned = new_area_subject(ground, ids, Some(name), area)?;
        let label = Edit::RemoveAttachment { subject: ids[0], attachment: ids[1] };
        let hang = hung.into_iter().map(|attachment| Edit::PutAttachment { subject: ids[0], attachment, index: None });
        let edit = Edit::All { edits: [planned.edit, label].into_iter().chain(hang).collect() };
        anyhow::ensure!(stored.shot.subjects.len() == index, "subjects are made one after the other");
        let directions = vec![Direction::Forward, Direction::Backward];
        let [pin, ..] = area.carriers;
        let task = FollowTask::whole(self.shot, pin, area.drawn.frame, directions);
        let job = Task::Follow(task).into_job(self.project)?;
        let revision = stored.info.revision;
        let (_, job) = self.store.edit_with_job(self.shot, revision, &planned.title, &edit, job).await?;
        wait_for(self.store, job).await
    }

    /// The crest among the project's pictures, as it would fill a face. It is brought in once.
    async fn crest(&self) -> anyhow::Result<Picture> {
        let known = self.store.pictures(self.project).await?.into_iter().find(|picture| picture.name == CREST_NAME);
        let stored = match known {
            Some(stored) => stored,
            None => self.bring_crest_in().await?,
        };
        let pixels = [stored.width, stored.height].map(|side| side as u32);
        let mount = PictureMount::Facing(Orientation::default());
        Ok(Picture { picture: stored.id, pixels, mount, place: Point::default(), size: [1.0, 1.0], rotation: 0.0 })
    }

    async fn bring_crest_in(&self) -> anyhow::Result<StoredPicture> {
        let id = Uuid::new_v4();
        let [width, height] = keep_picture(self.library, id, CREST)?.map(|side| side as i32);
        self.library.keep(&self.library.picture(id)).await?;
        let stored = StoredPicture { id, project_id: self.project, name: CREST_NAME.into(), width, height };
        self.store.create_picture(&stored).await?;
        Ok(stored)
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
        let task = FollowTask::whole(self.shot, pin.id, pin.frame, directions);
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
