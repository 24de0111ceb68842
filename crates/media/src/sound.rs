//! The sound that goes into a film beside its pictures.

use jampin_core::time::Frame;

use crate::clip::AudioInfo;
use crate::container::EncodeJob;
use crate::tools::Call;

/// The sound of a film that is written, cut as its pictures are. In the call the pictures are the first input, the
/// sound's file the second.
pub(crate) struct Sound<'a> {
    job: &'a EncodeJob<'a>,
    audio: Option<&'a AudioInfo>,
    /// Whether all frames of the clip are written.
    is_whole: bool,
    /// When the clip's first frame is shown, in microseconds after the start of its file.
    picture_start: i64,
}

impl<'a> Sound<'a> {
    /// Of what is to be written; none of graphics, and of pieces.
    pub fn of(job: &'a EncodeJob<'a>) -> Self {
        let is_silent = job.piece_of.is_some() || job.container.is_graphics();
        let is_whole = job.range.first.0 == 0 && job.range.last.0 + 1 == job.table.len();
        let picture_start = job.table.first_micros() - job.info.start_micros;
        Self { job, audio: job.info.audio.as_ref().filter(|_| !is_silent), is_whole, picture_start }
    }

    /// Where the picture starts after the sound it stays so. An option of the pictures' input.
    pub fn hold_picture_back(&self, command: &mut Call) {
        if self.job.piece_of.is_none() && self.is_whole && self.picture_start > 0 {
            command.args(["-itsoffset", &format!("{}us", self.picture_start)]);
        }
    }

    /// As second input.
    pub fn read(&self, command: &mut Call) {
        if self.audio.is_none() {
            return;
        }
        if !self.is_whole {
            let table = self.job.table;
            let start = table.micros(self.job.range.first).unwrap_or(0);
            let end = table.micros(Frame(self.job.range.last.0 + 1)).unwrap_or(start);
            command.args(["-ss", &format!("{}us", (start + self.picture_start).max(0))]);
            command.args(["-t", &format!("{}us", end - start)]);
        }
        command.film(self.job.clip);
    }

    /// As it is where that is possible, else encoded anew.
    pub fn write(&self, command: &mut Call) {
        let Some(audio) = self.audio else { return };
        command.args(["-map", &format!("1:{}", audio.stream)]);
        if self.is_whole && self.job.container.takes_sound(&audio.codec) {
            command.args(["-c:a", "copy"]);
        } else {
            command.arg("-c:a").args(self.job.container.sound_encoder());
        }
    }
}
