//! How ffmpeg and ffprobe are called: allow-lists, no network, limits, no sight of anything but the film.

use std::ffi::{OsStr, OsString};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::Duration;

/// Containers that a film may come in. Lists of other files (playlists, concatenations) and devices are not among
/// them: a film must not make the server read anything but itself.
const DEMUXERS: &str =
    "mov,matroska,webm,avi,mpegts,mpeg,mpegvideo,ogg,flv,asf,mxf,gif,apng,ivf,h264,hevc,dv,nut,y4m,yuv4mpegpipe";
/// A film may be read from the file given and from our own pipes; nothing else, and no network.
const PROTOCOLS: &str = "file,pipe";
/// Decoders that a film may ask for: those of cameras, editors and the web, also for the sound and subtitles beside the
/// picture, as a film with a stream that is not allowed is not opened at all; not the hundreds for games and forgotten
/// devices.
const DECODERS: &str = "h264,hevc,vvc,av1,libdav1d,libaom-av1,vp8,vp9,libvpx,libvpx-vp9,vp6,vp6a,vp6f,mpeg1video,mpeg2video,mpeg4,msmpeg4v1,\
msmpeg4v2,msmpeg4,h261,h263,h263p,h263i,flv,wmv1,wmv2,wmv3,vc1,theora,mjpeg,mjpegb,prores,dnxhd,cfhd,dvvideo,ffv1,ffvhuff,huffyuv,utvideo,magicyuv,hap,\
qtrle,rpza,smc,rawvideo,v210,v210x,v308,v408,v410,r210,svq1,svq3,cinepak,jpeg2000,libopenjpeg,png,apng,gif,bmp,tiff,webp,wrapped_avframe,\
aac,aac_fixed,aac_latm,libfdk_aac,mp3,mp3float,mp3adu,mp3adufloat,mp2,mp2float,mp1,mp1float,ac3,ac3_fixed,eac3,dca,truehd,mlp,flac,alac,opus,libopus,vorbis,\
libvorbis,wmav1,wmav2,wmapro,wmalossless,wmavoice,speex,libspeex,amrnb,amrwb,libopencore_amrnb,libopencore_amrwb,nellymoser,qdm2,qdmc,mace3,mace6,cook,\
atrac3,atrac3al,atrac3p,atrac3pal,tta,wavpack,gsm,gsm_ms,libgsm,libgsm_ms,g722,g726,ilbc,libilbc,s302m,sonic,adpcm_ima_wav,adpcm_ima_qt,adpcm_ms,adpcm_swf,\
adpcm_yamaha,adpcm_g722,adpcm_g726,pcm_s8,pcm_u8,pcm_s16le,pcm_s16be,pcm_u16le,pcm_u16be,pcm_s24le,pcm_s24be,pcm_s32le,pcm_s32be,pcm_f32le,pcm_f32be,pcm_f64le,\
pcm_f64be,pcm_alaw,pcm_mulaw,pcm_bluray,pcm_dvd,pcm_s16le_planar,pcm_s24le_planar,pcm_s32le_planar,pcm_s16be_planar,pcm_s8_planar,\
mov_text,subrip,srt,ass,ssa,webvtt,text,dvbsub,dvdsub,pgssub,xsub,cc_dec,libzvbi_teletextdec,subviewer,microdvd,jacosub,sami";
/// Bytes of a picture that is written into a folder of them.
const LARGEST_PICTURE: u64 = 64 << 20;

/// Bytes of memory and seconds of processor time of our own program as a child.
const OURSELVES: (u64, u64) = (1 << 30, 10);

/// What a child process may use.
#[derive(Clone, Copy, Debug)]
pub struct Limits {
    /// Address space, in bytes. Encoding 3840x2160 takes about 3 GB.
    pub memory: u64,
    /// Seconds of processor time of one child, all its threads together.
    pub processor: u64,
    /// Length of a film that is written, in bytes.
    pub film: u64,
    /// It is killed when it makes no progress for this long.
    pub quiet: Duration,
    /// A probe is killed after this long, whatever it does.
    pub probe: Duration,
}

impl Default for Limits {
    fn default() -> Self {
        Self {
            memory: 6 << 30,
            processor: 48 * 3600,
            film: 256 << 30,
            quiet: Duration::from_secs(60),
            probe: Duration::from_secs(20),
        }
    }
}

/// The two programs, and what they may use.
#[derive(Clone, Debug)]
pub struct Tools {
    ffmpeg: PathBuf,
    ffprobe: PathBuf,
    /// What a child process may use.
    pub limits: Limits,
    /// Our own program, which shuts itself in and becomes the other (`jampin sandboxed`). Without it children are
    /// limited in memory only.
    pub sandbox: Option<PathBuf>,
}

impl Default for Tools {
    fn default() -> Self {
        Self::at(on_path("ffmpeg"), on_path("ffprobe"))
    }
}

/// Where a program is: a child knows no path to look it up on.
fn on_path(name: &str) -> PathBuf {
    let path = std::env::var_os("PATH").unwrap_or_default();
    std::env::split_paths(&path).map(|folder| folder.join(name)).find(|file| file.is_file()).unwrap_or(name.into())
}

impl Tools {
    /// Programs at these places instead of those on the path.
    pub fn at(ffmpeg: PathBuf, ffprobe: PathBuf) -> Self {
        Self { ffmpeg, ffprobe, limits: Limits::default(), sandbox: None }
    }

    pub(crate) fn ffmpeg(&self) -> Call {
        let mut call = self.call(&self.ffmpeg);
        call.args(["-nostdin", "-hide_banner", "-y"]);
        call
    }

    pub(crate) fn ffprobe(&self) -> Call {
        let mut call = self.call(&self.ffprobe);
        call.args(["-hide_banner", "-loglevel", "error", "-of", "json"]);
        call
    }

    /// Our own program, shut in, for what is better done by a process of its own; `None` where there is no sandbox.
    pub(crate) fn ourselves(&self, word: &str) -> Option<Call> {
        let mut call = self.call(self.sandbox.as_ref()?);
        call.tools.limits = Limits { memory: OURSELVES.0, processor: OURSELVES.1, ..self.limits };
        call.arg(word).takes_input();
        Some(call)
    }

    fn call(&self, program: &Path) -> Call {
        Call {
            tools: self.clone(),
            program: program.to_owned(),
            arguments: Vec::new(),
            reads: Vec::new(),
            writes: Vec::new(),
            takes_input: false,
        }
    }
}

/// A program to be run, and what it may reach.
#[derive(Clone, Debug)]
pub(crate) struct Call {
    tools: Tools,
    program: PathBuf,
    arguments: Vec<OsString>,
    reads: Vec<PathBuf>,
    writes: Vec<PathBuf>,
    takes_input: bool,
}

impl Call {
    pub fn arg(&mut self, argument: impl AsRef<OsStr>) -> &mut Self {
        self.arguments.push(argument.as_ref().to_owned());
        self
    }

    pub fn args<S: AsRef<OsStr>>(&mut self, arguments: impl IntoIterator<Item = S>) -> &mut Self {
        self.arguments.extend(arguments.into_iter().map(|argument| argument.as_ref().to_owned()));
        self
    }

    /// A film on disk, with the input options before it.
    pub fn film(&mut self, path: &Path) -> &mut Self {
        self.args(["-protocol_whitelist", PROTOCOLS, "-format_whitelist", DEMUXERS, "-codec_whitelist", DECODERS]);
        self.file(path)
    }

    /// Pictures in a folder, as one film, in the order of the numbers that `names` stands for.
    pub fn numbered_pictures(&mut self, folder: &Path, names: &Path, codec: &str) -> &mut Self {
        self.reads.push(folder.to_owned());
        self.args(["-protocol_whitelist", "file", "-format_whitelist", "image2", "-codec_whitelist", codec]);
        self.args(["-f", "image2", "-start_number", "0", "-c:v", codec, "-i"]).arg(names)
    }

    /// Films of our own making one after the other, as a list says.
    pub fn pieces<'a>(&mut self, list: &Path, pieces: impl Iterator<Item = &'a Path>) -> &mut Self {
        self.reads.extend(pieces.map(Path::to_owned));
        self.args(["-protocol_whitelist", "file", "-f", "concat", "-safe", "0"]);
        self.file(list)
    }

    /// Any file as input.
    pub fn file(&mut self, path: &Path) -> &mut Self {
        self.reads.push(path.to_owned());
        // The prefix keeps a name with a colon in it from being read as a protocol.
        let mut name = OsString::from("file:");
        name.push(path);
        self.arg("-i").arg(name)
    }

    /// A file that it writes; it need not be there yet.
    pub fn writes(&mut self, path: &Path) -> &mut Self {
        self.writes.push(path.to_owned());
        self.arg(path)
    }

    /// Pictures that it writes into a folder, as the name says.
    pub fn writes_pictures(&mut self, folder: &Path, name: &str) -> &mut Self {
        self.writes.push(folder.to_owned());
        self.arg(folder.join(name))
    }

    /// It is handed what it reads.
    pub fn takes_input(&mut self) -> &mut Self {
        self.takes_input = true;
        self
    }

    fn largest_file(&self) -> u64 {
        let of = |path: &PathBuf| if path.is_dir() { LARGEST_PICTURE } else { self.tools.limits.film };
        self.writes.iter().map(of).max().unwrap_or(0)
    }

    fn start(&self) -> Command {
        let Limits { memory, processor, .. } = self.tools.limits;
        let Some(sandbox) = &self.tools.sandbox else {
            // prlimit comes with every Debian (util-linux) and spares us unsafe code.
            let mut command = Command::new("prlimit");
            command.arg(format!("--as={memory}")).arg(format!("--cpu={processor}")).arg("--core=0");
            return command;
        };
        let mut command = Command::new(sandbox);
        command.arg("sandboxed").arg(format!("--memory={memory}")).arg(format!("--processor={processor}"));
        command.arg(format!("--file={}", self.largest_file()));
        for (word, paths) in [("--reads=", &self.reads), ("--writes=", &self.writes)] {
            for path in paths {
                let mut option = OsString::from(word);
                option.push(path);
                command.arg(option);
            }
        }
        command
    }
}

impl From<Call> for Command {
    fn from(call: Call) -> Self {
        // A right to write is given for a file that is there; when it cannot be made the program says why.
        for path in call.writes.iter().filter(|path| !path.exists()) {
            drop(std::fs::File::create(path));
        }
        let mut command = call.start();
        command.arg("--").arg(&call.program).args(&call.arguments);
        // Nothing of ours is the child's business, least of all where the database is.
        command.env_clear();
        let stdin = if call.takes_input { Stdio::piped() } else { Stdio::null() };
        command.stdin(stdin).stdout(Stdio::piped()).stderr(Stdio::piped());
        command
    }
}
