//! Red, green and blue at full size, for pins that look at colour: made only when one does, by a pass of its own.

use std::io::Read;

use jampin_core::geometry::Size;
use jampin_core::image::Plane;
use jampin_core::time::Frame;

use crate::child::{Watch, Watched};
use crate::decode::{COUNTED, EVERY_FRAME};
use crate::tools::{Call, Tools};
use crate::{Cancel, ClipFolder, ClipInfo, MediaError, Progress};

/// Decodes the whole clip once and writes the colour planes of each of its `frames`. `progress` is called after each.
pub fn prepare_colour(
    tools: &Tools,
    folder: &ClipFolder,
    (info, frames): (&ClipInfo, u32),
    cancel: &Cancel,
    progress: &mut dyn FnMut(Progress),
) -> Result<(), MediaError> {
    let folders = folder.planes().colour();
    folders.iter().try_for_each(|folder| folder.create())?;
    let watch = Watch { quiet: tools.limits.quiet, cancel: cancel.clone() };
    let (watched, pipes) = Watched::start(command(tools, folder, info), watch, |_| true)?;
    let mut stdout = pipes.stdout.expect("standard output is piped");
    let area = info.size.area();
    let mut data = vec![0; area * 3];
    for count in 0..frames {
        match stdout.read_exact(&mut data) {
            Ok(()) => {}
            Err(error) if error.kind() == std::io::ErrorKind::UnexpectedEof => break,
            Err(error) => return Err(MediaError::Io { context: "reading planes".into(), source: error }),
        }
        // ffmpeg's planar format has green first, then blue, then red.
        for (folder, part) in folders.iter().zip([2, 0, 1]) {
            let plane = Plane::new(info.size, data[part * area..(part + 1) * area].to_vec());
            folder.write(Frame(count), &plane.expect("a third of the frame"))?;
        }
        watched.progress();
        progress(Progress { frames: count + 1, of: frames });
    }
    watched.wait()?;
    Ok(())
}

fn command(tools: &Tools, folder: &ClipFolder, info: &ClipInfo) -> Call {
    let Size { width, height } = info.size;
    let (matrix, range) = (info.matrix(), if info.is_full_range() { "pc" } else { "tv" });
    let convert = format!("scale={width}:{height}:in_color_matrix={matrix}:in_range={range}:out_range=pc,format=gbrp");
    let mut command = tools.ffmpeg();
    command.args(["-loglevel", "error"]);
    command.film(&folder.original());
    command.args(["-map", &format!("0:{}", info.stream), "-vf", &format!("{COUNTED},{convert}")]).args(EVERY_FRAME);
    command.args(["-f", "rawvideo", "pipe:1"]);
    command
}
