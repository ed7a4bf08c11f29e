//! Every reader against thousands of damaged files: an answer in time and within memory, whatever the bytes.

use std::cell::Cell;
use std::io::{Cursor, Write};
use std::time::{Duration, Instant};

use cap::Cap;
use proptest::prelude::*;
use proptest::test_runner::{Config, TestRunner};
use rstest::rstest;
use selvik_cell::Workcell;
use selvik_cell::document::{CELL_FILE, document_from_slice};
use selvik_cell::entries::to_entries;
use selvik_formats::mesh::{MeshConvention, read_collada, read_mesh, read_obj, read_ply, read_stl};
use selvik_formats::spool::Spool;
use selvik_formats::targets_csv::read_targets;
use selvik_formats::{FormatError, LinkGeometry, PackageFiles, Stop, read_srdf, read_urdf};

/// No reader of these small files may hold more than this at once.
const MOST_BYTES: usize = 256 << 20;
/// Nor take longer than this, on a busy machine.
const LONGEST: Duration = Duration::from_secs(5);
const DAMAGED_FILES: u32 = 10_000;

#[global_allocator]
static MEMORY: Cap<std::alloc::System> = Cap::new(std::alloc::System, MOST_BYTES);

/// What is read, thrown away; `true` when it was readable.
type Reader = fn(&[u8]) -> bool;

/// One damage to a file.
#[derive(Debug, Clone)]
enum Damage {
    Put(u8),
    Insert(u8),
    Remove(usize),
    Repeat(usize),
    CutOff,
    Ones,
    Say(&'static str),
}

fn damage() -> impl Strategy<Value = (f64, Damage)> {
    let words = [
        "1e308",
        "nan",
        "inf",
        "-1",
        "4294967295",
        "99999999999999999999",
        "\"",
        "<",
        "{",
        "\n",
        "\0",
    ];
    let kind = prop_oneof![
        any::<u8>().prop_map(Damage::Put),
        any::<u8>().prop_map(Damage::Insert),
        (1usize..40).prop_map(Damage::Remove),
        (1usize..200).prop_map(Damage::Repeat),
        Just(Damage::CutOff),
        Just(Damage::Ones),
        proptest::sample::select(words.to_vec()).prop_map(Damage::Say),
    ];
    (0.0..1.0f64, kind)
}

fn damaged(sound: &[u8], damages: &[(f64, Damage)]) -> Vec<u8> {
    let mut bytes = sound.to_vec();
    for (place, damage) in damages {
        let at = (place * bytes.len() as f64) as usize;
        let end = |n: usize| (at + n).min(bytes.len());
        match *damage {
            Damage::Put(byte) => bytes.get_mut(at).map_or((), |b| *b = byte),
            Damage::Insert(byte) => bytes.insert(at, byte),
            Damage::Remove(n) => drop(bytes.drain(at..end(n))),
            Damage::Repeat(n) => {
                let again = bytes[at..end(n)].to_vec();
                bytes.splice(at..at, again);
            }
            Damage::CutOff => bytes.truncate(at),
            Damage::Ones => {
                let end = end(4);
                bytes[at..end].fill(0xFF);
            }
            Damage::Say(word) => drop(bytes.splice(at..end(word.len()), word.bytes())),
        }
    }
    bytes
}

const CUBE_OBJ: &str = "mtllib a.mtl\no cube\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0 0 1\nv 1 0 1\nv 1 1 1\nv 0 1 1\n\
    vn 0 0 1\nvt 0 0\nusemtl x\nf 4//1 3//1 2//1 1//1\nf 5 6 7 8\nf 1/1 2/1 6/1 5/1\nf 3 4 8 7\nf 2 3 7 6\nf -8 -4 -1 -5\n";
const PLY_HEAD: &str = "element vertex 4\nproperty float x\nproperty float y\nproperty float z\n\
    element face 4\nproperty list uchar int vertex_indices\nend_header\n";
const CORNERS: [[f32; 3]; 4] = [[0.0; 3], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]];
const FACES: [[u32; 3]; 4] = [[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]];
const ARM: &str = r#"<robot name="a"><link name="base"><visual><geometry><box size="0.1 0.1 0.1"/></geometry></visual></link>
    <link name="tip"><visual><origin xyz="0 0 0.1" rpy="0 0.2 0"/><geometry><cylinder radius="0.05" length="0.2"/></geometry></visual></link>
    <joint name="q" type="revolute"><parent link="base"/><child link="tip"/><origin xyz="0 0 1"/><axis xyz="0 0 1"/>
    <limit lower="-1" upper="1" velocity="2" effort="1"/></joint></robot>"#;
const DAE: &str = r##"<COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1">
    <asset><unit meter="0.001"/><up_axis>Y_UP</up_axis></asset><library_geometries><geometry id="g"><mesh>
    <source id="p"><float_array id="pa" count="12">0 0 0 1 0 0 0 1 0 0 0 1</float_array>
    <technique_common><accessor source="#pa" count="4" stride="3"/></technique_common></source>
    <vertices id="v"><input semantic="POSITION" source="#p"/></vertices>
    <polylist count="4"><input semantic="VERTEX" source="#v" offset="0"/><vcount>3 3 3 3</vcount>
    <p>0 2 1 0 1 3 0 3 2 1 2 3</p></polylist></mesh></geometry></library_geometries>
    <library_visual_scenes><visual_scene id="s"><node><rotate>0 0 1 90</rotate><instance_geometry url="#g"/></node>
    </visual_scene></library_visual_scenes><scene><instance_visual_scene url="#s"/></scene></COLLADA>"##;
const SRDF: &str = r#"<robot name="a"><group name="arm"><chain base_link="base" tip_link="tip"/><joint name="q"/></group>
    <disable_collisions link1="base" link2="tip" reason="Never"/></robot>"#;
const TARGETS: &str = "id,frame,x_mm,y_mm,z_mm,roll_deg,pitch_deg,yaw_deg\na,,1,2,3,4,5,6\n\"b \"\"q\"\"\",world,1.5,-2,3e2,0,90,180\n";
const CELL: &str = r##"{"format": "selvik-cell/1", "name": "Small", "items": [
    {"id": "arm", "name": "Arm", "role": "robot", "mechanism": {"from": {"urdf": "arm.urdf"}}},
    {"id": "tip", "name": "Tip", "role": "frame", "parent": "arm", "on_link": "tip", "frame_kind": "tcp"},
    {"id": "post", "name": "Post", "role": "structure", "colour": "#102030", "pose": {"xyz_mm": [0, 960, 300], "rpy_deg": [0, 0, 45]},
     "bodies": [{"shape": {"mesh": {"file": "post.stl", "unit": "mm"}}}]}],
    "rules": [{"id": "r", "name": "R", "between": ["arm"], "and": ["post"], "required_mm": 20, "tight_below_mm": 30}],
    "views": [{"id": "v", "name": "V", "style": "shaded_edges", "viewpoint": {"pivot_mm": [0, 0, 0], "bearing_deg": 30, "elevation_deg": 20,
      "distance_mm": 4000, "projection": "perspective", "lens_mm": 35, "width_mm": 4000}}]}"##;

fn stl() -> Vec<u8> {
    let mut bytes = vec![b' '; 80];
    bytes.extend(4u32.to_le_bytes());
    for face in FACES {
        bytes.extend([0; 12]);
        bytes.extend(
            face.iter()
                .flat_map(|&v| CORNERS[v as usize])
                .flat_map(f32::to_le_bytes),
        );
        bytes.extend([0; 2]);
    }
    bytes
}

fn stl_text() -> Vec<u8> {
    let mut text = "solid t\n".to_owned();
    for face in FACES {
        let vertices = face
            .map(|v| CORNERS[v as usize])
            .map(|[x, y, z]| format!("vertex {x} {y} {z}\n"));
        text += &format!(
            "facet normal 0 0 1\nouter loop\n{}endloop\nendfacet\n",
            vertices.concat()
        );
    }
    (text + "endsolid t\n").into_bytes()
}

fn ply_text() -> Vec<u8> {
    let corners: String = CORNERS
        .iter()
        .map(|[x, y, z]| format!("{x} {y} {z}\n"))
        .collect();
    let faces: String = FACES
        .iter()
        .map(|[a, b, c]| format!("3 {a} {b} {c}\n"))
        .collect();
    format!("ply\nformat ascii 1.0\ncomment t\n{PLY_HEAD}{corners}{faces}").into_bytes()
}

fn ply() -> Vec<u8> {
    let mut bytes = format!("ply\nformat binary_little_endian 1.0\n{PLY_HEAD}").into_bytes();
    bytes.extend(CORNERS.iter().flatten().flat_map(|x| x.to_le_bytes()));
    for face in FACES {
        bytes.push(3);
        bytes.extend(face.iter().flat_map(|i| i.to_le_bytes()));
    }
    bytes
}

fn glb() -> Vec<u8> {
    let mut data: Vec<u8> = CORNERS
        .iter()
        .flatten()
        .flat_map(|x| x.to_le_bytes())
        .collect();
    data.extend(FACES.iter().flatten().flat_map(|i| i.to_le_bytes()));
    let mut json = br#"{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],"nodes":[{"children":[1]},{"mesh":0,"scale":[1,2,1]}],
        "meshes":[{"primitives":[{"attributes":{"POSITION":0},"indices":1}]}],
        "accessors":[{"bufferView":0,"componentType":5126,"count":4,"type":"VEC3","min":[0,0,0],"max":[1,1,1]},
        {"bufferView":1,"componentType":5125,"count":12,"type":"SCALAR"}],
        "bufferViews":[{"buffer":0,"byteLength":48},{"buffer":0,"byteOffset":48,"byteLength":48}],"buffers":[{"byteLength":96}]}"#.to_vec();
    json.resize(json.len().next_multiple_of(4), b' ');
    let mut bytes = b"glTF\x02\0\0\0".to_vec();
    bytes.extend((12 + 8 + json.len() as u32 + 8 + data.len() as u32).to_le_bytes());
    for (kind, chunk) in [(b"JSON", json), (b"BIN\0", data)] {
        bytes.extend((chunk.len() as u32).to_le_bytes());
        bytes.extend(kind);
        bytes.extend(chunk);
    }
    bytes
}

fn file(name: &str, bytes: &[u8]) -> PackageFiles {
    let mut files = PackageFiles::default();
    files.insert(name, bytes.to_vec()).expect("a plain name");
    files
}

fn package(cell: &[u8]) -> PackageFiles {
    let mut files = file(CELL_FILE, cell);
    files
        .insert("arm.urdf", ARM.as_bytes().to_vec())
        .expect("a plain name");
    files.insert("post.stl", stl()).expect("a plain name");
    files
}

fn is_glb(bytes: &[u8]) -> bool {
    read_mesh(
        &file("m.glb", bytes),
        "m.glb",
        MeshConvention::default(),
        "a test",
    )
    .is_ok()
}

fn is_zip(bytes: &[u8]) -> bool {
    PackageFiles::from_zip(bytes)
        .and_then(|files| Workcell::read(&files))
        .is_ok()
}

#[rstest]
#[case::stl(stl(), |b: &[u8]| read_stl("m", b, 1.0, &Stop::never()).is_ok())]
#[case::stl_text(stl_text(), |b: &[u8]| read_stl("m", b, 1.0, &Stop::never()).is_ok())]
#[case::obj(CUBE_OBJ.into(), |b: &[u8]| read_obj("m", b, 1.0, &Stop::never()).is_ok())]
#[case::ply_text(ply_text(), |b: &[u8]| read_ply("m", b, 1.0, &Stop::never()).is_ok())]
#[case::ply(ply(), |b: &[u8]| read_ply("m", b, 1.0, &Stop::never()).is_ok())]
#[case::glb(glb(), is_glb)]
#[case::collada(DAE.into(), |b: &[u8]| read_collada("m", b).is_ok())]
#[case::srdf(SRDF.into(), |b: &[u8]| read_srdf(&file("a.srdf", b), "a.srdf", "a test").is_ok())]
#[case::urdf(ARM.into(), |b: &[u8]| read_urdf(&file("arm.urdf", b), "arm.urdf", LinkGeometry::Visual, "a test").is_ok())]
#[case::targets(TARGETS.into(), |b: &[u8]| read_targets("t.csv", b).is_ok())]
#[case::cell(CELL.into(), |b: &[u8]| document_from_slice(b).map(to_entries_of).and_then(|()| Workcell::read(&package(b))).is_ok())]
#[case::zip(package(CELL.as_bytes()).to_zip().expect("a zip"), is_zip)]
fn every_reader_answers_whatever_the_bytes(#[case] sound: Vec<u8>, #[case] reads: Reader) {
    assert!(reads(&sound), "the file is sound before it is damaged");
    let refused = Cell::new(0);
    let mut runner = TestRunner::new(Config {
        cases: DAMAGED_FILES,
        failure_persistence: None,
        ..Config::default()
    });
    let damages = proptest::collection::vec(damage(), 1..6);
    let outcome = runner.run(&damages, |damages| {
        let bytes = damaged(&sound, &damages);
        let start = Instant::now();
        refused.set(refused.get() + u32::from(!reads(&bytes)));
        prop_assert!(start.elapsed() < LONGEST, "{:?}", start.elapsed());
        Ok(())
    });
    outcome.unwrap_or_else(|error| panic!("{error}"));
    assert!(
        refused.get() > DAMAGED_FILES / 50,
        "damage is noticed: {} refused",
        refused.get()
    );
}

/// A document that could be read can be taken apart.
fn to_entries_of(document: selvik_cell::document::CellDocument) {
    assert!(!to_entries(&document).is_empty());
}

fn says(result: Result<impl Sized, FormatError>) -> String {
    result.err().expect("it is refused").to_string()
}

#[test]
fn a_zip_that_grows_a_thousandfold_is_refused_before_it_fills_the_memory() {
    let mut writer = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let options = zip::write::SimpleFileOptions::default();
    writer.start_file("zeros.stl", options).expect("to memory");
    for _ in 0..200 {
        writer.write_all(&vec![0; 1 << 20]).expect("to memory");
    }
    let bomb = writer.finish().expect("to memory").into_inner();
    assert!(bomb.len() < 1 << 20, "{}", bomb.len());
    let start = Instant::now();
    let mut spool = Spool::new().expect("a temporary file");
    let refused = says(PackageFiles::from_zip_into(
        Cursor::new(&bomb),
        &mut spool,
        40 << 20,
    ));
    assert!(
        refused.contains("zeros.stl") && refused.contains("more than 40 MiB"),
        "{refused}"
    );
    assert!(start.elapsed() < LONGEST, "{:?}", start.elapsed());
}

#[rstest]
#[case("../outside.stl")]
#[case("/etc/outside.stl")]
#[case("a/../../outside.stl")]
fn a_path_that_leads_out_of_the_package_is_refused_by_name(#[case] path: &str) {
    let mut writer = zip::ZipWriter::new(Cursor::new(Vec::new()));
    writer
        .start_file(path, zip::write::SimpleFileOptions::default())
        .expect("to memory");
    let zipped = writer.finish().expect("to memory").into_inner();
    let refused = says(PackageFiles::from_zip(&zipped));
    assert!(
        refused.contains("outside.stl") && refused.contains("leads out"),
        "{refused}"
    );
}

#[test]
fn a_billion_laughs_are_not_laughed() {
    let mut entities = "<!ENTITY l0 \"ha\">".to_owned();
    for i in 1..12 {
        entities += &format!("<!ENTITY l{i} \"{}\">", format!("&l{};", i - 1).repeat(10));
    }
    let bomb = format!("<!DOCTYPE r [{entities}]><robot name=\"&l11;\"><link name=\"a\"/></robot>");
    let start = Instant::now();
    let refused = says(read_urdf(
        &file("arm.urdf", bomb.as_bytes()),
        "arm.urdf",
        LinkGeometry::Visual,
        "a test",
    ));
    assert!(refused.contains("arm.urdf"), "{refused}");
    assert!(start.elapsed() < Duration::from_secs(1));
}

#[test]
fn a_linked_folder_that_holds_itself_is_read_once() {
    let folder = tempfile::tempdir().expect("a folder");
    std::fs::write(folder.path().join(CELL_FILE), CELL).expect("written");
    std::os::unix::fs::symlink(folder.path(), folder.path().join("again")).expect("a link");
    let files = PackageFiles::from_folder(folder.path()).expect("readable");
    assert_eq!(
        files.iter().map(|(name, _)| name).collect::<Vec<_>>(),
        [CELL_FILE]
    );
}
