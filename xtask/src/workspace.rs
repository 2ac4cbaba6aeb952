//! Where things are.

use std::path::{Path, PathBuf};

/// The folder of the repository.
pub(crate) fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..")
}
