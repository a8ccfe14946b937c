"""Set-up: steps done once for the same inputs, honest counts, locks without addresses."""

import socket

import pytest

from launch import packages, paths, ports, testing


@pytest.fixture
def sandbox(tmp_path, monkeypatch):
    monkeypatch.setattr(paths, "LOCAL", tmp_path / ".local")
    monkeypatch.setattr(paths, "ROOT", tmp_path)
    return tmp_path


def test_a_step_is_done_once_for_the_same_inputs(sandbox):
    source, done = sandbox / "source", []
    source.mkdir()
    (source / "a.txt").write_text("one")
    for _ in range(3):
        paths.once("step", [source], lambda: done.append(1))
    assert len(done) == 1
    (source / "a.txt").write_text("two")
    paths.once("step", [source], lambda: done.append(1))
    (source / "b.txt").write_text("new")
    paths.once("step", [source], lambda: done.append(1))
    assert len(done) == 3


def test_a_step_is_done_again_when_its_output_is_gone(sandbox):
    source, output, done = sandbox / "in", sandbox / "out", []
    source.write_text("x")

    def step():
        done.append(1)
        output.write_text("made")

    paths.once("step", [source], step, output)
    output.unlink()
    paths.once("step", [source], step, output)
    assert len(done) == 2


def test_a_failed_step_is_not_taken_for_done(sandbox):
    source = sandbox / "in"
    source.write_text("x")

    def broken():
        raise RuntimeError

    with pytest.raises(RuntimeError):
        paths.once("step", [source], broken)
    done = []
    paths.once("step", [source], lambda: done.append(1))
    assert done


def test_a_failing_command_ends_the_program_and_shows_why(capfd):
    with pytest.raises(SystemExit, match="this step failed"):
        paths.run(["sh", "-c", "echo because of this; exit 3"], quiet=True)
    assert "because of this" in capfd.readouterr().out
    paths.run(["sh", "-c", "echo unseen"], quiet=True)
    assert "unseen" not in capfd.readouterr().out


@pytest.mark.parametrize(("report", "counts"), [
    ('<testsuites><testsuite tests="5" failures="1" errors="1" skipped="1"/></testsuites>', (2, 2)),
    ('<testsuite tests="3" failures="0" errors="0"/>', (3, 0)),
])
def test_reports_are_counted(tmp_path, report, counts):
    file = tmp_path / "report.xml"
    file.write_text(report)
    assert testing._counts(file) == counts


def test_a_suite_without_a_report_has_failed(tmp_path):
    assert testing._counts(tmp_path / "none.xml") == (0, 1)


def test_unknown_suites_are_named():
    with pytest.raises(SystemExit, match="no suite astrology"):
        testing.test(["astrology"])


def test_locks_hold_no_addresses(tmp_path, monkeypatch):
    assert not testing._locks_hold_addresses()
    (tmp_path / "requirements").mkdir()
    (tmp_path / "web").mkdir()
    (tmp_path / "requirements/serve.txt").write_text("django==5.2 \\\n    --hash=sha256:00\n")
    (tmp_path / "requirements/test.txt").write_text("--index-" + "url somewhere\n")
    (tmp_path / "web/pnpm-lock.yaml").write_text("lockfileVersion: 9\n")
    monkeypatch.setattr(testing, "ROOT", tmp_path)
    monkeypatch.setattr(testing, "WEB", tmp_path / "web")
    assert testing._locks_hold_addresses()


def test_versions_are_pinned():
    assert packages.PNPM.count(".") == 2
    for name in ("serve.txt", "test.txt"):
        lines = (paths.ROOT / "requirements" / name).read_text().splitlines()
        pins = [line for line in lines if line and not line.startswith((" ", "#", "-"))]
        assert pins
        assert all("==" in line for line in pins)


def test_a_second_start_beside_the_first_is_refused():
    with socket.socket() as other:
        other.bind(("127.0.0.1", 0))
        port = other.getsockname()[1]
        ports.require_free(port)  # nothing listens yet
        other.listen()
        with pytest.raises(SystemExit, match=f"answers at port {port} already"):
            ports.require_free(port)
