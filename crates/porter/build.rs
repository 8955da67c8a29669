//! Lets the program name the systems that it was built for.

fn main() {
    let target = std::env::var("TARGET").unwrap_or_else(|_| "unknown".to_owned());
    println!("cargo:rustc-env=PORTER_TARGET={target}");
    println!("cargo:rerun-if-changed=build.rs");
}
