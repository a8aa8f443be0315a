//! Sees to it that a newly built front end is embedded: without this line cargo would not
//! notice that the files have changed.

fn main() {
    println!("cargo::rerun-if-changed=../../web/dist");
}
