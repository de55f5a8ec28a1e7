//! Drives the built program in a temporary folder, on a loopback ground of its own.

pub(crate) mod terminal;

use std::fs;
use std::net::Ipv4Addr;
use std::path::PathBuf;
use std::process::{Child, Command, Output, Stdio};
use std::sync::{Condvar, Mutex, PoisonError};
use std::time::Duration;

use lantern_core::address::{Mask, Subnet};
use lantern_core::sheet::RigSheet;
use lantern_sim::{LoopbackGround, NIGHT_MENDED_SHEET, Scene, TIDEWICK, TIDEWICK_MENDED_SHEET};
use serde_json::Value;
use tempfile::TempDir;

/// What the program printed, and how it ended.
#[derive(Debug)]
pub(crate) struct Said {
    pub(crate) code: i32,
    pub(crate) out: String,
    pub(crate) notes: String,
}

impl Said {
    pub(crate) fn of(output: &Output) -> Self {
        let text = |bytes: &[u8]| String::from_utf8(bytes.to_vec()).expect("the program speaks UTF-8");
        Self { code: output.status.code().unwrap_or(-1), out: text(&output.stdout), notes: text(&output.stderr) }
    }

    /// Asserts how it ended, showing everything when it ended otherwise.
    pub(crate) fn ended(self, code: i32) -> Self {
        assert_eq!(self.code, code, "{}\n--- notes:\n{}", self.out, self.notes);
        self
    }

    pub(crate) fn json(&self) -> Value {
        serde_json::from_str(&self.out).expect("one JSON object")
    }

    /// The line of the result that holds all of these.
    pub(crate) fn line(&self, parts: &[&str]) -> &str {
        let found = self.out.lines().find(|line| parts.iter().all(|part| line.contains(part)));
        found.unwrap_or_else(|| panic!("no line with {parts:?} in\n{}", self.out))
    }
}

/// The sheet in the folder of [`Folder::night`].
pub(crate) const NIGHT: &str = "t.rig.toml";

/// A folder in which the program is run.
pub(crate) struct Folder(TempDir);

impl Folder {
    pub(crate) fn new() -> Self {
        Self(TempDir::new().expect("a temporary folder"))
    }

    /// A folder with the whole rig of the evening, some of it still open, as [`NIGHT`].
    pub(crate) fn night() -> Self {
        let folder = Self::new();
        folder.write(NIGHT, NIGHT_MENDED_SHEET);
        folder
    }

    /// Runs the program through a shell that limits it first.
    pub(crate) fn run_limited(&self, limit: &str, arguments: &str) -> Output {
        let script = format!("{limit} exec {} {arguments}", env!("CARGO_BIN_EXE_deft-lantern"));
        Command::new("sh").args(["-c", &script]).current_dir(self.0.path()).output().expect("the program runs")
    }

    pub(crate) fn path(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }

    pub(crate) fn write(&self, name: &str, text: impl AsRef<[u8]>) {
        fs::write(self.path(name), text).expect("a file");
    }

    pub(crate) fn read(&self, name: &str) -> String {
        fs::read_to_string(self.path(name)).expect("a file")
    }

    /// Runs the program with a cleared environment, a fixed clock and a fixed width.
    pub(crate) fn run(&self, arguments: &[&str]) -> Said {
        self.run_in(arguments, &[])
    }

    pub(crate) fn run_in(&self, arguments: &[&str], environment: &[(&str, &str)]) -> Said {
        let output = Command::new(env!("CARGO_BIN_EXE_deft-lantern"))
            .args(arguments)
            .current_dir(self.0.path())
            .env_clear()
            .envs([("COLUMNS", "100"), ("SOURCE_DATE_EPOCH", "1793750400")])
            .envs(environment.iter().copied())
            .output()
            .expect("the program runs");
        Said::of(&output)
    }
}

/// A folder and simulated nodes.
pub(crate) struct Rig {
    pub(crate) folder: Folder,
    pub(crate) ground: LoopbackGround,
}

impl Rig {
    pub(crate) fn with(scene: &Scene) -> Self {
        let ground = LoopbackGround::start(scene).expect("a ground");
        Self { folder: Folder::new(), ground }
    }

    /// The harbour, and its mended sheet as `tidewick.rig.toml`.
    pub(crate) fn tidewick() -> Self {
        let rig = Self::with(&Scene::parse(TIDEWICK).expect("a scene"));
        rig.write_sheet("tidewick.rig.toml", TIDEWICK_MENDED_SHEET);
        rig
    }

    /// Writes a sheet of the harbour, carried to this ground.
    pub(crate) fn write_sheet(&self, name: &str, text: &str) {
        let sheet = RigSheet::parse(text).expect("a sheet");
        let mask = Mask::from_prefix(16).expect("a mask");
        let to = Subnet::around(self.ground.network(), mask);
        self.folder.write(name, sheet.relocated("10.40.0.0/16".parse().expect("a network"), to));
    }

    /// The address of this host part on the ground.
    pub(crate) fn address(&self, third: u8, fourth: u8) -> String {
        let [a, b, ..] = self.ground.network().octets();
        Ipv4Addr::new(a, b, third, fourth).to_string()
    }

    /// Runs a command. One that only looks looks again where the nodes stood still meanwhile: then it was right to call them
    /// silent.
    pub(crate) fn run(&self, arguments: &[&str]) -> Said {
        let _before = self.ground.stood_still();
        let mut said = self.folder.run(arguments);
        for _ in 0..3 {
            let stood_still = self.ground.stood_still();
            if stood_still < TOO_LONG || !only_looks(arguments) {
                break;
            }
            println!("the nodes stood still for {stood_still:?}: looked again");
            for file in written_by(arguments) {
                // It may have been broken off before it wrote anything.
                fs::remove_file(self.folder.path(file)).unwrap_or(());
            }
            said = self.folder.run(arguments);
        }
        said
    }

    /// Runs a command that takes an adapter, without a sheet.
    pub(crate) fn run_here(&self, arguments: &[&str]) -> Said {
        let guest = self.ground.guest().to_string();
        self.run(&[arguments, &["--adapter", &guest]].concat())
    }

    /// Starts a command that goes on by itself.
    pub(crate) fn start(&self, arguments: &[&str]) -> Child {
        Command::new(env!("CARGO_BIN_EXE_deft-lantern"))
            .args(arguments)
            .current_dir(self.folder.path("."))
            .stdin(Stdio::null())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .expect("the program")
    }

    /// The node of this MAC address, in a fresh survey.
    pub(crate) fn node(&self, mac: &str) -> Value {
        let survey = self.run_here(&["survey", "--json"]).json();
        let nodes = survey["nodes"].as_array().expect("nodes");
        nodes.iter().find(|node| node["mac"] == mac).cloned().unwrap_or(Value::Null)
    }
}

/// How long nodes may stand still before a look at them says nothing of the tool.
const TOO_LONG: Duration = Duration::from_millis(700);

/// Whether a command changes nothing in the world and can be run again.
fn only_looks(arguments: &[&str]) -> bool {
    ["survey", "check", "show", "why"].contains(&arguments[0]) || arguments.starts_with(&["sheet", "new"])
}

/// The files that a look leaves, and overwrites none of.
fn written_by<'a>(arguments: &[&'a str]) -> Vec<&'a str> {
    let after = |option: &str| arguments.iter().position(|one| *one == option).map(|at| arguments[at + 1]);
    let sheet = arguments.starts_with(&["sheet", "new"]).then(|| arguments[2]);
    [after("--save"), after("--record"), sheet].into_iter().flatten().collect()
}

/// Runs a shell script beside the nodes, in the demo's folder; `None` where there are no private networks.
pub(crate) fn on_segment(script: &str) -> Option<Said> {
    let _others = beside_others();
    beside(&["demo", "--ground", "segment", "--stay"], script)
}

/// The same with more in the script's environment.
pub(crate) fn on_segment_with(script: &str, environment: &[(&str, &str)]) -> Option<Said> {
    let _others = beside_others();
    beside_in(&["demo", "--ground", "segment", "--stay"], script, environment)
}

/// Runs a script beside the nodes, in a folder without a sheet, with places of its own to keep states and settings in. It
/// can note addresses and routes of `adapter` with `note FILE` and compare two notes with `same A B`.
pub(crate) fn noting(adapter: &str, set_up: &str, script: &str) -> Option<Said> {
    if !has("ip") {
        return None;
    }
    on_segment(&format!(
        "mkdir w; cd w; export XDG_STATE_HOME=$PWD/state XDG_CONFIG_HOME=$PWD/config\n\
         note() {{ ip -4 addr show dev {adapter} >$1; ip -4 route show dev {adapter} >>$1; }}\n\
         same() {{ diff $1 $2 && echo same $1 $2; }}\n{set_up}\n{script}"
    ))
}

/// How much of the processors tests that are timed by a network use, in parts of [`ALL_PARTS`]; and who waits, in order.
static PROCESSORS: (Mutex<Shares>, Condvar) = (Mutex::new(Shares { used: 0, next: 0, served: 0 }), Condvar::new());

const ALL_PARTS: u32 = 7;
/// Forty stacks and a survey of them, and a flood, need most of them. What has a scene beside them mostly waits.
const MOST_PARTS: u32 = 4;

struct Shares {
    used: u32,
    /// The number that the next one who comes draws, and the one that is served next.
    next: u64,
    served: u64,
}

/// A part of the processors, until it is dropped.
pub(crate) struct Share(u32);

impl Share {
    /// Waits until so many parts are free and everybody who came before is served.
    fn take(parts: u32) -> Self {
        let (shares, freed) = (&PROCESSORS.0, &PROCESSORS.1);
        let mut shares = shares.lock().unwrap_or_else(PoisonError::into_inner);
        let number = shares.next;
        shares.next += 1;
        while shares.served != number || shares.used + parts > ALL_PARTS {
            shares = freed.wait(shares).unwrap_or_else(PoisonError::into_inner);
        }
        shares.served += 1;
        shares.used += parts;
        freed.notify_all();
        Self(parts)
    }
}

impl Drop for Share {
    fn drop(&mut self) {
        PROCESSORS.0.lock().unwrap_or_else(PoisonError::into_inner).used -= self.0;
        PROCESSORS.1.notify_all();
    }
}

/// Until it is dropped, little that is timed by a network runs beside.
pub(crate) fn alone() -> Share {
    Share::take(MOST_PARTS)
}

/// Until it is dropped, a part of the processors is taken.
fn beside_others() -> Share {
    Share::take(1)
}

/// The same beside the forty devices of the whole harbour.
pub(crate) fn on_harbour(script: &str) -> Option<Said> {
    let _alone = alone();
    beside(&["demo", "--ground", "segment", "--stay", "--scene", "harbour"], script)
}

/// The same beside the whole rig as it comes out of its cases, with the night's sheet.
pub(crate) fn on_cases(script: &str) -> Option<Said> {
    let _alone = alone();
    beside(&["demo", "--ground", "segment", "--stay", "--scene", "cases"], script)
}

/// The same beside the nodes and devices of a scene.
pub(crate) fn on_scene(scene: &str, script: &str) -> Option<Said> {
    let _others = beside_others();
    beside_scene(scene, script)
}

/// The same beside so many that they need the processors for themselves.
pub(crate) fn on_scene_alone(scene: &str, script: &str) -> Option<Said> {
    let _alone = alone();
    beside_scene(scene, script)
}

fn beside_scene(scene: &str, script: &str) -> Option<Said> {
    let folder = Folder::new();
    folder.write("test.scene.toml", scene);
    let path = folder.path("test.scene.toml").display().to_string();
    beside(&["demo", "--ground", "segment", "--stay", "--scene", &path], script)
}

fn beside(demo: &[&str], script: &str) -> Option<Said> {
    beside_in(demo, script, &[])
}

fn beside_in(demo: &[&str], script: &str, environment: &[(&str, &str)]) -> Option<Said> {
    let folder = Folder::new();
    let path = [("PATH", "/usr/sbin:/usr/bin:/sbin:/bin")];
    let said = folder.run_in(&[demo, &["--", "sh", "-c", script]].concat(), &[&path, environment].concat());
    unless_refused(said, "does not allow a private network")
}

/// Runs a shell script in a network and a set of mounts of its own, without any nodes; `None` where there are none.
pub(crate) fn in_own_network(script: &str) -> Option<Said> {
    let folder = Folder::new();
    let ours = PathBuf::from(env!("CARGO_BIN_EXE_deft-lantern"));
    let path = format!("{}:/usr/sbin:/usr/bin:/sbin:/bin", ours.parent().expect("a folder").display());
    let rights: &[&str] = if is_root() { &[] } else { &["-r"] };
    let output = Command::new("unshare")
        // With a process namespace of its own nothing that the script started outlives it.
        .args([rights, &["-n", "-m", "-p", "-f", "--kill-child", "--mount-proc", "sh", "-c", script]].concat())
        .current_dir(folder.0.path())
        .env_clear()
        .envs([("PATH", path.as_str()), ("COLUMNS", "150"), ("HOME", &folder.0.path().display().to_string())])
        .output();
    match output {
        Ok(output) => unless_refused(Said::of(&output), "unshare:"),
        Err(error) => {
            println!("skipped: unshare: {error}");
            None
        }
    }
}

/// Whether the tests run with all rights, so that programs that want to change their user can.
pub(crate) fn is_root() -> bool {
    let output = Command::new("id").arg("-u").output();
    output.is_ok_and(|output| output.stdout == b"0\n")
}

fn unless_refused(said: Said, mark: &str) -> Option<Said> {
    let skipped = said.notes.lines().any(|line| line.contains(mark));
    if skipped {
        println!("skipped: {}", said.notes.lines().next().unwrap_or_default());
    }
    (!skipped).then_some(said)
}

/// Whether the script's tool is there; without it the test says so and is skipped.
pub(crate) fn has(tool: &str) -> bool {
    let found =
        ["/usr/sbin", "/usr/bin", "/sbin", "/bin"].iter().any(|at| std::path::Path::new(at).join(tool).exists());
    if !found {
        println!("skipped: {tool} is not installed");
    }
    found
}
