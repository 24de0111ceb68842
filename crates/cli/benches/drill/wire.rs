//! Three hosts as network namespaces, each with its share of a processor, and a wire to the outside on which every byte
//! takes five milliseconds. It can be cut. Needs root and Linux, with `ip` and the cpu controller of control groups.

use std::fs::{self, File};
use std::io::{Read, Write};
use std::net::{Shutdown, SocketAddr, TcpListener, TcpStream};
use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::mpsc::{Receiver, channel};
use std::time::{Duration, Instant};

use nix::sched::{CloneFlags, setns};

pub(crate) const HOSTS: usize = 3;
/// How long a byte takes.
const DELAY: Duration = Duration::from_millis(5);
/// The share of one processor that a host has, in hundredths: three of them and what they share fit two processors.
pub(crate) const SHARE: u32 = 45;

fn ip(words: &str) {
    let done = Command::new("ip").args(words.split(' ')).output().expect("ip runs (Debian's iproute2)");
    assert!(done.status.success(), "ip {words}: {}", String::from_utf8_lossy(&done.stderr));
}

fn name(host: usize) -> String {
    format!("jampin{}", host + 1)
}

/// The outside's address on a host's wire.
pub(crate) fn outside(host: usize) -> String {
    format!("10.77.{}.1", host + 1)
}

fn share(host: usize) -> PathBuf {
    Path::new("/sys/fs/cgroup/cpu").join(name(host))
}

/// The hosts; gone with this.
pub(crate) struct Wires;

impl Wires {
    pub fn lay() -> Self {
        take_down();
        for host in 0..HOSTS {
            let (name, number) = (name(host), host + 1);
            ip(&format!("netns add {name}"));
            ip(&format!("link add {name}a type veth peer name {name}b"));
            ip(&format!("link set {name}b netns {name}"));
            ip(&format!("addr add 10.77.{number}.1/24 dev {name}a"));
            ip(&format!("link set {name}a up"));
            ip(&format!("-n {name} addr add 10.77.{number}.2/24 dev {name}b"));
            ip(&format!("-n {name} link set {name}b up"));
            ip(&format!("-n {name} link set lo up"));
            fs::create_dir_all(share(host)).expect("a control group of our own");
            fs::write(share(host).join("cpu.cfs_period_us"), "100000").expect("the cpu controller");
            fs::write(share(host).join("cpu.cfs_quota_us"), (SHARE * 1000).to_string()).expect("the cpu controller");
        }
        Self
    }

    pub fn cut(&self, host: usize) {
        ip(&format!("link set {}a down", name(host)));
    }

    pub fn mend(&self, host: usize) {
        ip(&format!("link set {}a up", name(host)));
    }
}

impl Drop for Wires {
    fn drop(&mut self) {
        take_down();
    }
}

fn take_down() {
    for host in 0..HOSTS {
        for words in [format!("link del {}a", name(host)), format!("netns del {}", name(host))] {
            // What is not there need not go.
            let _ = Command::new("ip").args(words.split(' ')).output();
        }
        let _ = fs::remove_dir(share(host));
    }
}

/// A program on a host: its own process is what is started.
pub(crate) fn on(host: usize, program: &str) -> Command {
    let group = share(host).join("cgroup.procs");
    let mut command = Command::new("sh");
    let script = format!("echo $$ > {} && exec ip netns exec {} \"$@\"", group.display(), name(host));
    command.args(["-c", &script, "sh", program]);
    command
}

/// Does something on a host's network.
pub(crate) fn inside<T: Send>(host: usize, work: impl FnOnce() -> T + Send) -> T {
    let enter = || {
        let namespace = File::open(Path::new("/run/netns").join(name(host))).expect("the host is there");
        setns(namespace, CloneFlags::CLONE_NEWNET).expect("its network can be entered");
        work()
    };
    std::thread::scope(|scope| scope.spawn(enter).join().expect("it went well"))
}

/// Makes a server on loopback reachable from a host, over its wire.
pub(crate) fn lead(host: usize, port: u16, to: SocketAddr) {
    let listener = TcpListener::bind((outside(host), port)).expect("the port is free");
    std::thread::spawn(move || {
        for near in listener.incoming().flatten() {
            let Ok(far) = TcpStream::connect(to) else { continue };
            for (from, to) in [(&near, &far), (&far, &near)] {
                let (Ok(from), Ok(to)) = (from.try_clone(), to.try_clone()) else { continue };
                let _ = from.set_nodelay(true);
                let (sent, due) = channel();
                std::thread::spawn(move || deliver(to, &due));
                std::thread::spawn(move || take(from, |bytes| sent.send((Instant::now() + DELAY, bytes)).is_ok()));
            }
        }
    });
}

fn take(mut from: TcpStream, hand_on: impl Fn(Vec<u8>) -> bool) {
    let mut bytes = vec![0; 64 << 10];
    while let Ok(count) = from.read(&mut bytes) {
        if count == 0 || !hand_on(bytes[..count].to_vec()) {
            break;
        }
    }
}

fn deliver(mut to: TcpStream, due: &Receiver<(Instant, Vec<u8>)>) {
    for (at, bytes) in due {
        std::thread::sleep(at.saturating_duration_since(Instant::now()));
        if to.write_all(&bytes).is_err() {
            break;
        }
    }
    let _ = to.shutdown(Shutdown::Write);
}
