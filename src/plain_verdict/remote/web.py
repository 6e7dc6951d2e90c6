"""A folder of a web server: HTTP PUT (RFC 9110), with WebDAV (RFC 4918) where it speaks it.

Who one is, ``requests`` tells by its own ways: ~/.netrc or NETRC.
"""

import secrets
import time
from collections.abc import Callable, Iterator
from email.utils import parsedate_to_datetime
from typing import TYPE_CHECKING, NoReturn
from urllib.parse import quote, unquote, urljoin, urlsplit

from lxml import etree

from plain_verdict.remote.interface import Files, Found, Result
from plain_verdict.runtime.errors import DeliveryError, UsageError
from plain_verdict.runtime.patience import Patience
from plain_verdict.text.addresses import host_and_path, refuse_password
from plain_verdict.text.http_status import status_line
from plain_verdict.text.media_types import served_as
from plain_verdict.text.packages import quiet_libraries, require

if TYPE_CHECKING:
    from requests import PreparedRequest, Response

_HTTP_TIMEOUT_S = (10.0, 60.0)  # to connect, and between two packets
_RETRY_PAUSES_S = (0.2, 0.5, 1.0, 2.0, 4.0)  # eight seconds in all
_TEMPORARY = (500, 502, 503, 504)  # RFC 9110, sections 15.6.1 to 15.6.5
_DEEPEST_FOLDERS = 30  # links may lead in circles
_FOLLOWED_REDIRECTS = 5  # more are a loop
_DAV = "{DAV:}"
_RETRY_STATUS = (
    b'<?xml version="1.0" encoding="utf-8"?><propfind xmlns="DAV:"><prop><resourcetype/><getcontentlength/>'
    b"<getlastmodified/><getetag/></prop></propfind>"
)
_WHY = {
    401: ("it requires authentication", "add the credentials to ~/.netrc"),
    403: ("access is forbidden", "check the permissions there"),
    404: ("there is no such folder", "check the address"),
    405: ("it does not take files", "check the address; it must allow PUT"),
    409: ("the folder above is missing, and can't be made", "create it, or check the address"),
    413: ("the file is too large for it", "raise its limit"),
    423: ("it is locked by somebody", "try again later"),
    507: ("no space is left there", "free some space"),
}


class WebDestination:
    """A folder: ``https://host/reports/``."""

    def __init__(self, text: str) -> None:
        refuse_password(text, hint="credentials come from ~/.netrc")
        parts = urlsplit(text)
        if not parts.hostname or parts.query or parts.fragment:
            raise UsageError(
                "is not an address of a folder",
                path=host_and_path(text),
                hint="write it like https://host/reports/",
            )
        self._url = text.rstrip("/") + "/"

    @property
    def shown(self) -> str:
        """Return its address."""
        return self._url

    @property
    def address(self) -> str:
        """Return its address: a browser opens the same."""
        return self._url

    def name(self, file: str) -> str:
        """Return the address of a file."""
        return self._url + quote(file)

    def check(self) -> None:
        """Make sure that what speaks HTTP is installed. Raises UsageError."""
        require("requests", "it", "remote", path=self.shown)

    def do(self, job: Callable[[Files], Result], message: str, patience: Patience) -> Result:  # noqa: ARG002  no messages are kept, and no programs started
        """Do a job."""
        with WebFiles(self._url) as files:
            return job(files)


class WebFiles:
    """The files of a folder of a web server."""

    def __init__(self, url: str) -> None:
        import requests  # an extra, for web services only

        quiet_libraries()
        self._url = url
        self._session = requests.Session()
        self._session.headers["User-Agent"] = "plain-verdict"
        self._made: set[str] = set()
        self._speaks_dav: bool | None = None

    def __enter__(self) -> "WebFiles":
        """Begin."""
        return self

    def __exit__(self, *_: object) -> None:
        """Close what is open."""
        self._session.close()

    @property
    def _dav(self) -> bool:
        """Return whether the server speaks WebDAV. Source: RFC 4918, section 10.1."""
        if self._speaks_dav is None:
            url = self._url
            answer = self._ask("OPTIONS", url)
            # Of a folder that is yet to be made, what is above it can tell.
            while answer.status_code == 404 and urlsplit(url).path.strip("/"):
                url = url.rstrip("/").rpartition("/")[0] + "/"
                answer = self._ask("OPTIONS", url)
            self._speaks_dav = "1" in answer.headers.get("DAV", "")
        return self._speaks_dav

    def find(self) -> list[Found] | None:
        """Return all files; None where the server does not speak WebDAV."""
        return list(self._below(self._url, 0)) if self._dav else None

    def _tree(self, url: str, content: bytes) -> etree._Element:
        parser = etree.XMLParser(resolve_entities=False, no_network=True, huge_tree=False)
        try:
            return etree.fromstring(content, parser)
        except etree.XMLSyntaxError as error:
            raise self._failed(url, f"its list of files is not XML ({error})", "check the address") from error

    def _below(self, url: str, depth: int) -> Iterator[Found]:
        headers = {"Depth": "1", "Content-Type": "application/xml"}
        answer = self._insist(lambda: self._ask("PROPFIND", url, data=_RETRY_STATUS, headers=headers))
        if answer.status_code == 404:
            return
        if answer.status_code != 207:
            self._fail(url, answer)
        tree = self._tree(url, answer.content)
        base_path = unquote(urlsplit(url).path).rstrip("/")
        top = unquote(urlsplit(self._url).path)
        folders = []
        for node in tree.iterfind(f"{_DAV}response"):
            path = unquote(urlsplit(node.findtext(f"{_DAV}href", "")).path)
            if (
                path.rstrip("/") == base_path
                or not path.startswith(top)
                or path[len(base_path) + 1 :].startswith(".")
            ):
                continue
            if node.find(f".//{_DAV}collection") is not None:
                folders.append(path.rstrip("/"))
            else:
                size = node.findtext(f".//{_DAV}getcontentlength", "")
                size_bytes = int(size) if size.isdecimal() else 0
                yield Found(path[len(top) :], _stamp(node), _written_s(node), size_bytes)
        if folders and depth >= _DEEPEST_FOLDERS:
            raise self._failed(url, "has folders too deep below each other", "name a folder further below")
        for folder in folders:
            yield from self._below(f"{self._url}{quote(folder[len(top) :])}/", depth + 1)

    def read(self, file: str, most: int | None = None) -> bytes | None:
        """Return a file, or its beginning where the server gives parts. Source: RFC 9110, section 14.2."""
        headers = {"Range": f"bytes=0-{most - 1}"} if most else {}
        answer = self._insist(lambda: self._ask("GET", self._at(file), headers=headers))
        if answer.status_code == 404:
            return None
        if answer.status_code not in (200, 206):
            self._fail(self._at(file), answer)
        return answer.content[:most]

    def write(self, file: str, data: bytes, *, new: bool = False) -> bool:
        """Write a file; where the server speaks WebDAV beside its place, from where it is moved in whole."""
        url = self._at(file)
        self._make_folders(file)
        # What is to be new is not tried again: it may be there by the first try.
        answer = self._insist(lambda: self._put(url, data, served_as(file), new=new), once=new)
        if new and answer.status_code == 412:
            return False
        if not _went_well(answer):
            self._fail(url, answer)
        return True

    @staticmethod
    def _insist(ask: Callable[[], "Response"], *, once: bool = False) -> "Response":
        """Ask, and again where the server is out of step: two that replace one file are too much for some."""
        answer = ask()
        for pause_s in () if once else _RETRY_PAUSES_S:
            if answer.status_code not in _TEMPORARY:
                break
            time.sleep(pause_s)
            answer = ask()
        return answer

    def _put(self, url: str, data: bytes, media_type: str, *, new: bool) -> "Response":
        headers = {"Content-Type": media_type}
        if not self._dav:
            return self._ask("PUT", url, data=data, headers=headers | ({"If-None-Match": "*"} if new else {}))
        folder, _, name = url.rpartition("/")
        part = f"{folder}/.{name}.{secrets.token_hex(4)}.part"
        answer = self._ask("PUT", part, data=data, headers=headers)
        if _went_well(answer):
            answer = self._ask("MOVE", part, headers={"Destination": url, "Overwrite": "F" if new else "T"})
        if not _went_well(answer):
            self._ask("DELETE", part)
        return answer

    def remove(self, file: str) -> None:
        """Remove a file."""
        answer = self._insist(lambda: self._ask("DELETE", self._at(file)))
        if not _went_well(answer) and answer.status_code != 404:
            self._fail(self._at(file), answer)

    def _make_folders(self, file: str) -> None:
        """Make the folders around a file, the uppermost first. Source: RFC 4918, section 9.3."""
        if not self._dav:
            return
        folders = file.split("/")[:-1]
        if "" not in self._made:
            self._make_base_folder()
        for depth in range(1, len(folders) + 1):
            folder = "/".join(folders[:depth])
            if folder not in self._made:
                self._make(f"{self._at(folder)}/")
                self._made.add(folder)

    def _make_base_folder(self) -> None:
        """Make the place's own folder, and those above it that are missing."""
        parts = urlsplit(self._url)
        names = [name for name in parts.path.split("/") if name]
        top = f"{parts.scheme}://{parts.netloc}/"
        missing = len(names)
        # From below: what is above may be closed to us, and there all the same.
        while missing and self._make(top + "/".join(names[:missing]) + "/", may_miss=True) == 409:
            missing -= 1
        for depth in range(missing + 1, len(names) + 1):
            self._make(top + "/".join(names[:depth]) + "/")
        self._made.add("")

    def _make(self, url: str, *, may_miss: bool = False) -> int:
        # Where another run makes it between the server's look and its own try, it is there the next time.
        answer = self._insist(lambda: self._ask("MKCOL", url))
        expected = (405, 301, 409) if may_miss else (405, 301)  # 405: it is there
        if not _went_well(answer) and answer.status_code not in expected:
            self._fail(url, answer)
        return answer.status_code

    def _at(self, file: str) -> str:
        return self._url + quote(file)

    def _ask(
        self, method: str, url: str, data: bytes | None = None, headers: dict[str, str] | None = None
    ) -> "Response":
        """Return the answer; redirects are followed for what is read, as others would make a PUT a GET."""
        import requests  # an extra, for web services only

        try:
            if method == "GET":
                return self._get(url, headers)
            return self._session.request(
                method, url, data=data, headers=headers, timeout=_HTTP_TIMEOUT_S, allow_redirects=False
            )
        except requests.exceptions.SSLError as error:
            what = "its certificate does not fit, or TLS failed"
            raise self._failed(url, what, "REQUESTS_CA_BUNDLE names an authority of your own") from error
        except requests.Timeout as error:
            raise self._failed(url, "it does not answer in time", "check the address") from error
        except requests.RequestException as error:
            raise self._failed(url, "no connection", "check the address") from error

    def _get(self, url: str, headers: dict[str, str] | None) -> "Response":
        """Return the answer, or that of where it leads: another host is given nothing of who one is.

        From TLS no redirect leads to where all can read along. Source: RFC 9110, section 15.4.
        """
        first, there = urlsplit(url), url
        for _ in range(_FOLLOWED_REDIRECTS):
            is_same_host = urlsplit(there)[:2] == first[:2]
            answer = self._session.get(
                there,
                headers=headers,
                timeout=_HTTP_TIMEOUT_S,
                allow_redirects=False,
                auth=None if is_same_host else _as_nobody,
            )
            if not answer.is_redirect:
                break
            there = urljoin(there, answer.headers["Location"])
            if urlsplit(there).scheme != "https" and first.scheme == "https":
                break
        return answer

    def _fail(self, url: str, answer: "Response") -> NoReturn:
        what, hint = _WHY.get(answer.status_code, ("", "ask who runs the server"))
        status = status_line(answer.status_code)
        if answer.status_code // 100 == 3:
            what, hint = "it redirects elsewhere", "use the address that it redirects to"
        raise self._failed(url, f"{what} ({status})" if what else f"it answers {status}", hint)

    @staticmethod
    def _failed(url: str, what: str, hint: str) -> DeliveryError:
        return DeliveryError(what, path=url, hint=hint)


def _as_nobody(request: "PreparedRequest") -> "PreparedRequest":
    """Ask without a name and password: without this, ``requests`` looks for some in ~/.netrc."""
    request.headers.pop("Authorization", None)
    return request


def _went_well(answer: "Response") -> bool:
    return answer.status_code // 100 == 2


def _stamp(node: "etree._Element") -> str:
    """Return when a file was changed, to the second, its size and its tag."""
    written_s = _written_s(node)
    when = f"{written_s:020.3f}" if written_s else "0" * 20
    size, tag = (node.findtext(f".//{_DAV}{name}", "") for name in ("getcontentlength", "getetag"))
    return f"{when} {size} {tag}".strip()


def _written_s(node: "etree._Element") -> float:
    try:
        return parsedate_to_datetime(node.findtext(f".//{_DAV}getlastmodified", "")).timestamp()
    except ValueError:
        return 0.0
