//! Colour differences as films store them, and as they are kept beside the luma planes.

use jampin_core::geometry::Size;
use jampin_core::image::{Chroma, Plane};

use crate::ClipInfo;

/// How a film's colour differences are read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Sampling {
    /// Pixels of the picture in one sample, across and down.
    across: u32,
    down: u32,
    /// What ffmpeg may give: luma stays as it is when the film has one of them.
    pub formats: &'static str,
    /// Whether samples use all of 0 to 255.
    is_full_range: bool,
}

impl Sampling {
    /// `None` for a grey film, and for a picture one pixel wide, which has no room for both of them.
    pub fn of(info: &ClipInfo) -> Option<Self> {
        let format = info.pixel_format.as_str();
        let is_grey = ["gray", "mono"].iter().any(|grey| format.starts_with(grey));
        if is_grey || info.size.width < 2 {
            return None;
        }
        let is_full_range = info.is_full_range();
        Some(match () {
            // Red, green and blue are made luma and colour differences of video.
            () if !format.starts_with("yuv") => Self { across: 1, down: 1, formats: "yuv444p", is_full_range: false },
            () if format.contains("444") => Self { across: 1, down: 1, formats: "yuv444p|yuvj444p", is_full_range },
            () if format.contains("422") => Self { across: 2, down: 1, formats: "yuv422p|yuvj422p", is_full_range },
            () => Self { across: 2, down: 2, formats: "yuv420p|yuvj420p", is_full_range },
        })
    }

    /// Samples of a colour difference of a picture.
    pub fn size(self, picture: Size) -> Size {
        Size::new(picture.width.div_ceil(self.across), picture.height.div_ceil(self.down))
    }

    /// What is kept: means over as many samples as [`Chroma`] has pixels in one of its own, blue above red, 128 being
    /// none and the range that of video.
    pub fn kept(self, picture: Size, blue: &Plane, red: &Plane) -> Plane {
        let (step, Size { width, height }) = (Chroma::step_of(picture), Chroma::size_of(picture));
        let (across, down) = (step / self.across, step / self.down);
        let (across, down) = (across as usize, down as usize);
        let area = (across * down) as u32;
        let range: [u8; 256] = std::array::from_fn(|v| if self.is_full_range { video_range(v) } else { v as u8 });
        let mut data = Vec::with_capacity(2 * (width * height) as usize);
        let mut columns = vec![0u16; width as usize * across];
        for plane in [blue, red] {
            let last = plane.size().height as usize - 1;
            for row in 0..height as usize {
                columns.fill(0);
                // A picture smaller than a step has fewer samples: the last one stands for those that are not there.
                for line in (row * down..(row + 1) * down).map(|row| plane.row(row.min(last))) {
                    columns.iter_mut().zip(line).for_each(|(sum, &value)| *sum += u16::from(value));
                    let beyond = columns.get_mut(line.len()..).unwrap_or_default();
                    beyond.iter_mut().for_each(|sum| *sum += u16::from(line[line.len() - 1]));
                }
                let sums = columns.chunks_exact(across).map(|sums| sums.iter().map(|&sum| u32::from(sum)).sum::<u32>());
                data.extend(sums.map(|sum| range[((sum + area / 2) / area) as usize]));
            }
        }
        Plane::new(Size::new(width, 2 * height), data).expect("as many samples as were asked for")
    }
}

/// A colour difference that uses all of 0 to 255, as video stores it: 16 to 240 (ITU-R BT.601, 2.5.4).
fn video_range(value: usize) -> u8 {
    (128.0 + (value as f64 - 128.0) * 224.0 / 255.0).round() as u8
}

#[cfg(test)]
mod tests {
    use super::*;

    fn info(pixel_format: &str, picture: Size) -> ClipInfo {
        serde_json::from_value(serde_json::json!({
            "size": picture, "pixel_format": pixel_format, "rate": { "num": 25, "den": 1 }, "stream": 0, "codec": "h264", "bits": 8,
            "quarter_turns": 0, "interlaced": false, "alpha": false, "colour": {}, "audio": null, "start_micros": 0, "container": "mp4",
        }))
        .unwrap()
    }

    /// Samples that say where in the picture they are.
    fn planes(sampling: Sampling, picture: Size) -> [Plane; 2] {
        let size = sampling.size(picture);
        let at = |col: u32, row: u32| (col * sampling.across + 3 * row * sampling.down).min(255) as u8;
        [Plane::from_fn(size, at), Plane::from_fn(size, |col, row| 255 - at(col, row))]
    }

    #[test]
    fn samples_are_means_over_the_same_pixels_however_the_film_stores_them() {
        let picture = Size::new(32, 24);
        for (format, want) in [("yuv420p", 28), ("yuv422p10le", 30), ("yuv444p", 30), ("gbrp", 30)] {
            let sampling = Sampling::of(&info(format, picture)).unwrap();
            let [blue, red] = planes(sampling, picture);
            let kept = sampling.kept(picture, &blue, &red);
            assert_eq!(kept.size(), Size::new(16, 24), "{format}");
            let (blue, red) = (i32::from(kept.row(3)[5]), i32::from(kept.row(12 + 3)[5]));
            // Pixels 10 and 11 of rows 6 and 7, of which the coarsest have the first only; half a level is rounded up,
            // in both.
            assert_eq!(blue, want, "{format}");
            assert!((255..=256).contains(&(blue + red)), "{format}: {blue} {red}");
        }
    }

    #[test]
    fn full_range_becomes_that_of_video_and_tiny_pictures_have_samples_too() {
        let picture = Size::new(2, 2);
        let sampling = Sampling::of(&info("yuvj420p", picture)).unwrap();
        let one = |value: u8| Plane::from_fn(Size::new(1, 1), |_, _| value);
        let kept = sampling.kept(picture, &one(255), &one(0));
        assert_eq!(kept.data(), [240, 16]);
        let tall = Size::new(3, 900);
        let sampling = Sampling::of(&info("yuv420p", tall)).unwrap();
        let [blue, red] = planes(sampling, tall);
        assert_eq!(sampling.kept(tall, &blue, &red).size(), Size::new(1, 2 * 225));
        assert_eq!(Sampling::of(&info("gray10le", picture)), None);
        assert_eq!(Sampling::of(&info("yuv420p", Size::new(1, 9))), None);
    }
}
