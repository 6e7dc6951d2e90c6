"""What a destination may never be asked to do: write over others' pages, follow links, take what is another's."""

import json
import threading
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from types import SimpleNamespace

import pytest
import requests

from plain_verdict.delivery.channels import webhook
from plain_verdict.remote.folder import FolderDestination, FolderFiles
from plain_verdict.remote.web import WebFiles
from plain_verdict.runtime.atomic_files import write_new
from plain_verdict.runtime.errors import DeliveryError
from plain_verdict.runtime.patience import Patience

GOOD = '<testsuite name="Quay"><testcase name="sails"/></testsuite>'
FOREIGN = "<html><title>Somebody's own</title></html>"


def answer(status, to=""):
    return SimpleNamespace(status_code=status, headers={"Location": to} if to else {}, is_redirect=bool(to))


# Where a notice is posted, what is answered, and how often something is sent: never to another host, or in the clear.
REDIRECTS = {
    "no redirect": ("https://chat.test/in", [answer(200)], 1),
    "the same host, method and body kept": ("https://chat.test/in", [answer(307, "/there"), answer(200)], 2),
    "kept for good": ("https://chat.test/in", [answer(308, "https://chat.test/there"), answer(200)], 2),
    "another host": ("https://chat.test/in", [answer(307, "https://evil.test/in"), answer(200)], 1),
    "another port": ("https://chat.test/in", [answer(307, "https://chat.test:8443/in"), answer(200)], 1),
    "a host below": ("https://chat.test/in", [answer(308, "https://in.chat.test/in"), answer(200)], 1),
    "a host that begins alike": ("https://chat.test/in", [answer(307, "https://chat.test.evil.test/"), answer(200)], 1),
    "in the clear": ("https://chat.test/in", [answer(307, "http://chat.test/in"), answer(200)], 1),
    "no scheme": ("https://chat.test/in", [answer(307, "//evil.test/in"), answer(200)], 1),
    "moved": ("https://chat.test/in", [answer(301, "https://chat.test/there"), answer(200)], 1),
    "found": ("https://chat.test/in", [answer(302, "/there"), answer(200)], 1),
    "see other": ("https://chat.test/in", [answer(303, "/there"), answer(200)], 1),
    "round and round": ("https://chat.test/in", [answer(307, "/in")] * 9, 3),
}  # fmt: skip


@pytest.mark.parametrize(("url", "answers", "sent"), REDIRECTS.values(), ids=REDIRECTS)
def test_a_notice_goes_to_its_own_host_only(url, answers, sent):
    asked = []
    several = iter(answers)
    session = SimpleNamespace(post=lambda there, **_: asked.append(there) or next(several))
    webhook._post(session, url, b"{}", {})
    assert len(asked) == sent
    assert all(there.startswith("https://chat.test/") for there in asked)


class Recorded(requests.adapters.BaseAdapter):
    """A web of two hosts without a network: it answers from a table, and keeps what it was asked."""

    def __init__(self, answers):
        super().__init__()
        self.answers, self.asked = answers, []

    def send(self, request, **_):
        self.asked.append((request.url, request.headers.get("Authorization", "")))
        found = requests.Response()
        found.status_code, to = self.answers.get(request.url, (404, ""))
        found.headers["Location"] = to
        found._content, found.url, found.request = b"results", request.url, request
        if not to:
            del found.headers["Location"]
        return found

    def close(self):
        pass


# Where results are read, where that leads, and what is given there of who we are.
READ = {
    "the same host": ("https://store.test/r.xml", "https://store.test/b.xml", ["own"]),
    "another host": ("https://store.test/r.xml", "https://other.test/b.xml", [""]),
    "another port": ("https://store.test/r.xml", "https://store.test:8443/b.xml", [""]),
    "in the clear": ("https://store.test/r.xml", "http://store.test/b.xml", []),
    "in the clear, elsewhere": ("https://store.test/r.xml", "http://other.test/b.xml", []),
    "to where nobody listens in": ("http://store.test/r.xml", "https://store.test/b.xml", [""]),
}


@pytest.mark.parametrize(("first", "there", "told"), READ.values(), ids=READ)
def test_no_redirect_learns_who_we_are(first, there, told, tmp_path, monkeypatch):
    netrc = "".join(f"machine {host} login kari password quay-7\n" for host in ("store.test", "other.test"))
    (tmp_path / "netrc").write_text(netrc)
    monkeypatch.setenv("NETRC", str(tmp_path / "netrc"))
    files = WebFiles(first.rpartition("/")[0] + "/")
    adapter = Recorded({first: (302, there), there: (200, "")})
    for scheme in ("http://", "https://"):
        files._session.mount(scheme, adapter)
    found = files._ask("GET", first)
    assert adapter.asked[0][1].startswith("Basic ")
    assert [("own" if auth else "") for _, auth in adapter.asked[1:]] == told
    assert found.status_code == (200 if told else 302)


def test_a_put_follows_no_redirect(tmp_path, monkeypatch):
    monkeypatch.setenv("NETRC", str(tmp_path / "none"))
    files = WebFiles("https://store.test/")
    adapter = Recorded({"https://store.test/p.html": (307, "https://evil.test/p.html"), "https://evil.test/p.html": (200, "")})  # fmt: skip
    files._session.mount("https://", adapter)
    assert files._ask("PUT", "https://store.test/p.html", data=b"x").status_code == 307
    assert [url for url, _ in adapter.asked] == ["https://store.test/p.html"]


LINKS = {
    "a folder that leads out": ("runs", "outside", "runs/p.html"),
    "a folder of a folder that leads out": ("a/runs", "outside", "a/runs/deep/p.html"),
    "a file that leads out": ("p.html", "outside/theirs.html", "p.html"),
    "a file that leads to another inside": ("p.html", "share/own.html", "p.html"),
}


@pytest.mark.parametrize(("link", "to", "file"), LINKS.values(), ids=LINKS)
def test_links_in_a_published_folder_are_not_followed(link, to, file, tmp_path):
    for name in ("outside", "share/a"):
        (tmp_path / name).mkdir(parents=True)
    (tmp_path / "outside" / "theirs.html").write_text(FOREIGN)
    (tmp_path / "share" / "own.html").write_text(FOREIGN)
    (tmp_path / "share" / link).symlink_to(tmp_path / to)
    files = FolderFiles(tmp_path / "share")
    for job in (lambda: files.write(file, b"page"), lambda: files.write(file, b"page", new=True), lambda: files.read(file), lambda: files.remove(file)):  # fmt: skip
        with pytest.raises(DeliveryError, match="is behind a link"):
            job()
    assert not [found for found in files.find() if found.file == file]
    assert sorted(path.name for path in (tmp_path / "outside").iterdir()) == ["theirs.html"]
    assert (tmp_path / "outside" / "theirs.html").read_text() == (tmp_path / "share" / "own.html").read_text() == FOREIGN  # fmt: skip


def test_a_new_file_is_never_written_over_another(tmp_path):
    (tmp_path / "p.html").write_text(FOREIGN)
    assert write_new(tmp_path / "p.html", b"page") is False
    assert (
        FolderDestination(tmp_path).do(lambda files: files.write("p.html", b"page", new=True), "", Patience(60))
        is False
    )
    assert (tmp_path / "p.html").read_text() == FOREIGN
    assert sorted(path.name for path in tmp_path.iterdir() if path.name[0] != ".") == ["p.html"]
    assert (
        FolderDestination(tmp_path).do(lambda files: files.write("q.html", b"page", new=True), "", Patience(60))
        is True
    )
    assert (tmp_path / "q.html").read_bytes() == b"page"


@pytest.mark.parametrize("kind", ["page", "mail", "tables", "zip", "layout"])
def test_what_others_made_is_never_written_over(kind, tool, tmp_path):
    (tmp_path / "r.xml").write_text(GOOD)
    taken = {
        "page": "p.html",
        "mail": "m.eml",
        "junit": "j.xml",
        "tables": "t",
        "pdf": "p.pdf",
        "zip": "f",
        "layout": "f",
    }[kind]
    arguments = {
        "page": ["--out", taken], "mail": ["--mail", taken],  "tables": ["--tables", taken],
        "zip": ["--zip", "--out", taken], "layout": ["--layout", "folder", "--out", taken],
    }[kind]  # fmt: skip
    if kind in ("tables", "layout"):
        (tmp_path / taken).mkdir()
        (tmp_path / taken / "theirs.txt").write_text(FOREIGN)
    else:
        (tmp_path / taken).write_text(FOREIGN)
    before = {path: path.read_bytes() for path in tmp_path.rglob("*") if path.is_file()}
    tool("report", "r.xml", *arguments, "--no-git")
    tool("report", "r.xml", *arguments, "--no-git", "--overwrite")
    assert all(path.read_bytes() == data for path, data in before.items())


class Wall(BaseHTTPRequestHandler):
    """A server on which somebody takes each name a moment before."""

    def do_PUT(self):
        self.rfile.read(int(self.headers["Content-Length"]))
        self.server.asked.append(self.headers.get("If-None-Match"))
        self.send_response(412 if self.headers.get("If-None-Match") else 204)
        self.end_headers()

    def do_GET(self):
        self.send_response(404)
        self.end_headers()

    do_OPTIONS = do_PROPFIND = do_GET  # noqa: N815  as above

    def log_message(self, *_):
        pass


def test_a_page_on_a_server_asks_that_nothing_has_its_name(tool, tmp_path):
    server = ThreadingHTTPServer(("127.0.0.1", 0), Wall)
    server.asked = []
    threading.Thread(target=server.serve_forever, daemon=True).start()
    (tmp_path / "r.xml").write_text(GOOD)
    done = tool(
        "report", "r.xml", "--no-git", "--json", "--publish", f"http://127.0.0.1:{server.server_port}/pages/"
    )
    server.shutdown()
    server.server_close()
    assert json.loads(done.out)["verdict"] == "fit"
    # Every name that was tried was asked for as a new one.
    assert server.asked
    assert set(server.asked) == {"*"}
    assert done.code == 5


DIRTY = {"told by the pipeline": (["--fact", "commit=c0ffee"], "c0ffee"), "found in the repository": ([], "")}


@pytest.mark.parametrize(("told", "commit"), DIRTY.values(), ids=DIRTY)
def test_a_commit_that_is_only_found_is_not_that_of_the_build(told, commit, tool, tmp_path):
    (tmp_path / ".git" / "refs" / "heads").mkdir(parents=True)
    (tmp_path / ".git" / "objects").mkdir()
    (tmp_path / ".git" / "HEAD").write_text("ref: refs/heads/main\n")
    (tmp_path / ".git" / "refs" / "heads" / "main").write_text("4c1f00d" + "0" * 33 + "\n")
    (tmp_path / "r.xml").write_text(GOOD)
    tool("report", "r.xml", "--digest", "d.json", *told)
    assert json.loads((tmp_path / "d.json").read_text())["run"].get("commit", "") == commit
