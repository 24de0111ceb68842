//! jampin-jobs
