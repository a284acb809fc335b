//! The real server on a free port, driven through the built pages by Playwright in Debian's
//! chromium. Never skips: where something is missing it fails with the way out.

#![allow(clippy::unwrap_used)]

mod common;

use std::path::Path;
use std::process::Command;

use common::Server;

#[test]
fn the_pages_do_whole_jobs_in_a_real_browser() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let needs = |what: &Path, way_out: &str| {
        assert!(what.exists(), "{} is missing. {way_out}", what.display());
    };
    needs(
        Path::new("/usr/bin/chromium"),
        "Install it: apt-get install chromium, or run: make test",
    );
    needs(
        &root.join("web/dist/index.html"),
        "Build the pages: make pages",
    );
    needs(
        &root.join("node_modules/@playwright/test/cli.js"),
        "Install the web packages: npm ci",
    );
    let server = Server::demo();
    let status = Command::new("node")
        .arg(root.join("node_modules/@playwright/test/cli.js"))
        .args(["test", "--config", "playwright.config.ts"])
        .current_dir(root.join("e2e"))
        .env("WATTOTHERM_URL", &server.url)
        .env("WATTOTHERM_BIN", env!("CARGO_BIN_EXE_wattotherm"))
        .status()
        .expect("Node.js is missing. Install Node.js 20 or newer.");
    assert!(status.success(), "a browser test failed; see above");
}
