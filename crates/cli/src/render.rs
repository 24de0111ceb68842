//! `jampin render`: a film with what hangs on followed pins, without server or database.

use std::path::Path;

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use jampin_core::formats::SceneFile;
use jampin_core::scene::Scene;
use jampin_core::time::{Frame, FrameRange};
use jampin_jobs::{Footage, Painting, Pictured, Product, paint_film};
use jampin_media::{Cancel, Container, probe};
use jampin_render::Typesetter;

use crate::args::RenderArgs;
use crate::error::bad_input;
use crate::samples_file;

pub(crate) fn run(args: &RenderArgs) -> anyhow::Result<()> {
    let text = std::fs::read_to_string(&args.scene)
        .map_err(|error| bad_input(format!("the scene file {} cannot be read: {error}", args.scene.display())))?;
    let file = SceneFile::parse(&text).map_err(bad_input)?;
    let product = product(&args.out, args.graphics)?;
    let beside = args.scene.parent().unwrap_or(Path::new(""));
    let tracks = samples_file::read(&beside.join(&file.samples))?;
    let tools = crate::sandboxed::tools(args.no_sandbox)?;
    let clip = args
        .clip
        .canonicalize()
        .map_err(|error| bad_input(format!("the film {} cannot be read: {error}", args.clip.display())))?;
    let (info, table) = probe(&tools, &clip).map_err(bad_input)?;
    let shot = file.shot(&tracks, info.size).map_err(bad_input)?;
    let range = FrameRange { first: Frame(0), last: Frame(table.len().saturating_sub(1)) };
    let typesetter = Typesetter::default();
    let scene = Scene::new(&shot, info.size, range, &typesetter);
    let name = args.out.file_stem().map(|stem| stem.to_string_lossy().into_owned()).unwrap_or_default();
    let painting = Painting {
        clip: &clip,
        info: &info,
        table: &table,
        range,
        scene: &scene,
        typesetter: &typesetter,
        footage: &Footage::default(),
        product,
        name: &name,
        piece_of: None,
        out: &args.out,
    };
    let bar = ProgressBar::with_draw_target(Some(table.len().into()), ProgressDrawTarget::stderr());
    bar.set_style(ProgressStyle::with_template("painting {wide_bar} {pos}/{len} {eta}")?);
    paint_film(&tools, &painting, &Cancel::default(), &mut |frames| bar.set_position(frames.into()))?;
    bar.finish_and_clear();
    Ok(())
}

/// What kind of file is wanted, by its ending.
fn product(out: &Path, graphics: bool) -> anyhow::Result<Product> {
    let ending = out.extension().map(|ending| ending.to_string_lossy().to_lowercase()).unwrap_or_default();
    match (ending.as_str(), graphics) {
        ("mp4", false) => Ok(Product::Film(Container::Mp4)),
        ("webm", false) => Ok(Product::Film(Container::Webm)),
        ("webm", true) => Ok(Product::Film(Container::WebmGraphics)),
        ("mov", true) => Ok(Product::Film(Container::ProresGraphics)),
        ("zip", true) => Ok(Product::Other(Pictured::PngGraphics)),
        _ => Err(bad_input(
            "the film can be .mp4 or .webm; with --graphics, the graphics alone, .webm, .mov or .zip".to_owned(),
        )),
    }
}
