//! Logs to standard error.

use tracing_subscriber::EnvFilter;

use crate::args::{LogArgs, LogFormat};

/// Starts logging. A filter that cannot be read falls back to `info`.
pub(crate) fn start(args: &LogArgs) {
    // That letters come from another font is as it should be, and no news.
    let quiet = |filter: &str| EnvFilter::try_new(format!("usvg::text=error,{filter}"));
    let filter = quiet(&args.log).unwrap_or_else(|_| EnvFilter::new("info"));
    let colours = std::io::IsTerminal::is_terminal(&std::io::stderr());
    let logs = tracing_subscriber::fmt().with_env_filter(filter).with_ansi(colours).with_writer(std::io::stderr);
    match args.log_format {
        LogFormat::Text => logs.compact().init(),
        LogFormat::Json => logs.json().init(),
    }
}
