//! The program as a person starts it.

use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Child, Command, Stdio};

pub struct Program {
    child: Child,
    pub address: String,
}

impl Program {
    /// Starts it on a free port and waits until it says where it is.
    pub fn start(command: &str, data: &Path, more: &[&str]) -> Self {
        Self::start_at(command, data, 0, more)
    }

    /// The same at the address that it had before, so that open windows find it again.
    pub fn start_again(address: &str, command: &str, data: &Path, more: &[&str]) -> Self {
        let port = address.rsplit_once(':').and_then(|(_, port)| port.parse().ok()).expect("a port");
        Self::start_at(command, data, port, more)
    }

    fn start_at(command: &str, data: &Path, port: u16, more: &[&str]) -> Self {
        let log = std::fs::File::create(data.join("stderr.log")).expect("a log");
        // Measurements are made with the program that is shipped.
        let binary = std::env::var_os("LEGERE_BINARY").unwrap_or_else(|| env!("CARGO_BIN_EXE_legere").into());
        let mut child = Command::new(binary)
            .arg(command)
            .arg("--data")
            .arg(data)
            .args(["--port", &port.to_string()])
            .args(more)
            .stdout(Stdio::piped())
            .stderr(log)
            .spawn()
            .expect("the program starts");
        let mut line = String::new();
        BufReader::new(child.stdout.take().expect("piped")).read_line(&mut line).expect("a line");
        let address = line.split_whitespace().find(|w| w.starts_with("http://"));
        let address = address
            .unwrap_or_else(|| panic!("it said {line:?}: {}", server_log(data)))
            .trim_end_matches('/')
            .to_owned();
        Self { child, address }
    }

    /// Killed, as by a machine without memory.
    pub fn kill(mut self) {
        self.child.kill().expect("killed");
        self.child.wait().expect("gone");
    }

    pub fn id(&self) -> u32 {
        self.child.id()
    }

    /// Ctrl-C; gives whether it ended well.
    pub fn stop(mut self) -> bool {
        interrupt(&self.child);
        let ended = self.child.wait().expect("it ends");
        if !ended.success() {
            eprintln!("it ended with {ended}");
        }
        ended.success()
    }
}

fn server_log(data: &Path) -> String {
    std::fs::read_to_string(data.join("stderr.log")).unwrap_or_default()
}

fn interrupt(child: &Child) {
    let _ = Command::new("kill").args(["-INT", &child.id().to_string()]).status();
}

impl Drop for Program {
    fn drop(&mut self) {
        if let Ok(None) = self.child.try_wait() {
            interrupt(&self.child);
            let _ = self.child.wait();
        }
    }
}
