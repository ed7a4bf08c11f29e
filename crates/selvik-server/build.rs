//! The built front end is embedded; without it the server still builds and says what is missing.

fn main() {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../web/dist");
    std::fs::create_dir_all(folder).expect("web/dist can be made");
    println!("cargo:rerun-if-changed=../../web/dist");
}
