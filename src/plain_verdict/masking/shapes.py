"""What secrets look like, as a table. Each pattern's group ``secret`` is what is hidden."""

import re
from base64 import b64decode
from binascii import Error as NotBase64

import msgspec

# Words that name a secret, as the last part of a key: DB_PASSWORD, x-api-key, clientSecret.
_STRONG = r"pass(?:word|wd|phrase|code)|pwd|client[_-]?secret|secret[_-]?key|private[_-]?key"
_WEAK = (
    r"secret|token|api[_-]?key|(?:access|account|auth|subscription|signing|encryption)[_-]?key|credentials?"
    r"|session[_-]?(?:id|key|token)|signature|otp|pin[_-]?code"
)
_QUOTED = r"""(?P<quote>\\?["'])"""

_KEYS = tuple(
    f"{owner}{sign}key"
    for owner in (
        "api",
        "access",
        "account",
        "auth",
        "subscription",
        "signing",
        "encryption",
        "secret",
        "private",
        "session",
    )
    for sign in ("", "_", "-")
)
_PASSES = ("passw", "passp", "passc", "pwd")
_NAMES = (
    *_PASSES,
    *_KEYS,
    *("secret", "token", "credential", "signature", "otp", "sessionid", "session_id", "session-id"),
    *("pincode", "pin_code", "pin-code"),
)
_PREFIXES = (
    *("akia", "asia", "abia", "acca", "aiza", "ya29.", "ghp_", "gho_", "ghu_", "ghs_", "ghr_", "github_pat_"),
    *("glpat-", "gldt-", "glrt-", "glcbt-", "glptt-", "glsoat-", "xox", "xapp-", "k_live_", "k_test_", "whsec_"),
    *("npm_", "pypi-", "sk-", "hf_", "dop_v1_", "shpat_", "shpca_", "shppa_", "shpss_", "sg.", "key-"),
    *("hvs.", "hvb.", "age-secret", "dp.pt.", "lin_api_", "eyjrijoi"),
)

_EXACT = re.RegexFlag(0)  # upper and lower case count


class Shape(msgspec.Struct, frozen=True):
    """A shape of secrets: ``needles``, one of which, in lower case, every text with it has; its pattern."""

    name: str
    needles: tuple[str, ...]
    text: str
    flags: re.RegexFlag = re.IGNORECASE

    @property
    def pattern(self) -> re.Pattern[str]:
        """Return the pattern; compiled, and kept by ``re``, only once it is needed."""
        return re.compile(self.text, self.flags)


SHAPES: tuple[Shape, ...] = (
    Shape(
        "private key",
        ("-----begin",),  # Source: RFC 7468, section 2; a text cut off may lack its end
        r"-----BEGIN (?:[A-Z0-9]+ ){0,3}PRIVATE KEY(?: BLOCK)?-----(?P<secret>.+?)(?=-----END |\Z)",
        re.DOTALL,
    ),
    Shape(
        "digest",
        ("digest ",),  # Source: RFC 7616, section 3.4
        r"\bdigest[ ](?P<secret>(?:username|response|realm|nonce)=[^\n]{10,})",
    ),
    Shape(
        "authorization",
        ("authorization",),  # Source: RFC 9110, section 11.6.2
        r"""\b(?:proxy-)?authorization\b\\?["']?\s{0,3}[:=]\s{0,3}[\["'\\]{0,3}"""
        r"""(?:(?:bearer|basic|digest|token|negotiate|apikey|aws4-hmac-sha256)[ :=]{1,2})?"""
        r"""(?P<secret>[^\s"'\\<>\]][^"'\\\n<>\]]{5,})""",
    ),
    Shape(
        "cookie",
        ("cookie",),  # Source: RFC 6265, section 4.1
        r"""\b(?:set-)?cookie\\?["']?\s{0,3}[:=]\s{0,3}\\?["']?(?P<secret>[\w.$!#%&*+^`|~-]+=[^"'\n<>\\]{3,})""",
    ),
    Shape(
        "bearer",
        ("bearer",),
        r"\bbearer[ :=]{1,2}(?P<secret>(?=[\w.~+/-]*\d)[\w.~+/-]{8,}=*)",
    ),
    Shape(
        "basic",
        ("basic",),
        r"\bbasic[ :=]{1,2}(?P<secret>[A-Za-z0-9+/]{6,}={0,2})(?![\w+/])",
    ),
    Shape(
        "jwt",
        ("eyj",),  # Source: RFC 7519, section 3: two or three parts, of which the first is a JSON object
        r"(?<![A-Za-z0-9])(?P<secret>eyJ[\w-]{5,}\.(?:eyJ)?[\w-]{5,}(?:\.[\w-]*)?)",
        _EXACT,
    ),
    Shape(
        "known token",
        _PREFIXES,  # prefixes that services give their keys, so that scanners can tell them
        r"(?<![A-Za-z0-9])(?P<secret>(?:AKIA|ASIA|ABIA|ACCA)[0-9A-Z]{16}(?![0-9A-Z])|AIza[\w-]{35}|ya29\.[\w-]{20,}"
        r"|gh[pousr]_\w{30,}|github_pat_\w{22,}|gl(?:pat|dt|rt|cbt|ptt|soat)-[\w-]{20,}|xox[abeoprs]-[\w-]{10,}"
        r"|xapp-[\w-]{10,}|[srp]k_(?:live|test)_\w{10,}|whsec_\w{16,}|npm_[A-Za-z0-9]{30,}|pypi-AgE[\w-]{20,}"
        r"|sk-(?:[\w]+-)*[\w-]{20,}|hf_[A-Za-z0-9]{30,}|dop_v1_[0-9a-f]{40,}|shp(?:at|ca|pa|ss)_[0-9a-fA-F]{20,}"
        r"|SG\.[\w-]{16,}\.[\w-]{16,}|key-[0-9a-f]{32}|hv[sb]\.[\w-]{20,}"
        r"|AGE-SECRET-KEY-1[0-9A-Z]{20,}|dp\.pt\.\w{20,}|lin_api_\w{20,}|eyJrIjoi[\w-]{20,}=*)",
        _EXACT,
    ),
    Shape(
        "credentials in a url",
        ("://",),  # Source: RFC 3986, section 3.2.1
        r"\b[a-z][a-z0-9+.-]{1,20}://[^\s/:@\"'<>]{0,80}:(?P<secret>[^\s/@\"'<>]{1,200})@",
    ),
    Shape(
        "token in a url",
        ("://",),
        r"\b[a-z][a-z0-9+.-]{1,20}://(?P<secret>[^\s/:@\"'<>]{16,200})@",
    ),
    Shape(
        "signed url",
        tuple(
            f"{name}="
            for name in ("sig", "signature", "credential", "token", "code", "key", "state", "ticket", "jwt", "auth")
        ),
        r"[?&](?:sig|signature|x-[a-z]{3,5}-(?:signature|credential|security-token)|code|key|state|ticket|jwt|auth)"
        r"=(?P<secret>(?=[^&\s\"'<>]*\d)[^&\s\"'<>]{8,})",
    ),
    Shape(
        "option",
        ("-pass", "-token", "-secret", "api-key", "access-key"),
        r"(?<!\S)--?(?:[a-z]+-)*(?:password|passwd|pass|token|secret|(?:api|access|secret)-key)(?P<sign>[ =])"
        r"""["']?(?P<secret>[^\s"'-][^\s"']{3,})""",
    ),
    Shape(
        "user option",
        ("-u",),
        r"(?<!\S)(?:-u|--user)[ =]?[\"']?[^\s:<>\"']{1,80}:(?P<secret>[^\s\"']{2,})",
        _EXACT,
    ),
    Shape(
        "quoted value",
        _NAMES,  # "password": "...", 'token': '...', secret = "..."
        rf"""(?P<key>{_STRONG}|{_WEAK})\\?["']?\]?\s{{0,3}}(?:=>|:=|[:=])\s{{0,3}}{_QUOTED}"""
        r"""(?P<secret>(?:(?!(?P=quote)).){1,400}?)(?P=quote)""",
    ),
    Shape(
        "strong pair",
        (*_PASSES, *_KEYS, "secret"),  # password=..., PASSWORD: ... ; the name alone tells
        rf"""(?P<key>{_STRONG})(?P<sign>\s?=\s?|:\s?)"""
        r"""(?P<secret>[^\s"'&,;<>(){}\[\]\\][^\s"'&,;<>(){}\\]*)(?P<after>[(\[]|[ ]\w)?""",
    ),
    Shape(
        "weak pair",
        _NAMES,  # token=..., api_key: ... ; the value must look made by a machine
        rf"""(?P<key>{_WEAK})(?P<sign>\s?=\s?|:\s?)(?P<secret>[\w.~+/%@!$^*|-]{{6,}}=*)(?![\w(])""",
    ),
    Shape(
        "card",
        (),  # Source: ISO/IEC 7812-1, section 5 (numbers and check digit)
        r"(?<![\w.,/+-])(?P<secret>\d(?:[ -]?\d){12,18})(?![\w-]|[.,]\d)",
        _EXACT,
    ),
)

_HARMLESS = re.compile(
    r"(?:none|null|nil|true|false|undefined|empty|required|missing|invalid|incorrect|wrong|expired|unknown|changed"
    r"|optional|ok|yes|no|set|unset|not|string|str|bytes|int|is|was|must|text|value|hidden|masked|redacted|omitted"
    r"|password|passwd|secret|token|key|type|field|here|example|given|received|sent|valid|accepted|rejected|success"
    r"|failed|reset|updated|found|present|absent|length|and|or|the|a|an|for|to|in|of|with|at|on|from|if|as|by"
    r"|[*•x.#_-]+|\.\.\.|…|\$\w+|\$?\{.*|<.*|%\w+%?|%.*|\[.*|self\..*|this\..*|[A-Z]\w+\[.*|os\.environ.*|process\.env.*)[.!?:]?",
    re.IGNORECASE,
)


def is_harmless(value: str) -> bool:
    """Return whether what stands where a secret may stand is an ordinary word, a placeholder or already hidden."""
    return _HARMLESS.fullmatch(value) is not None


def looks_made(value: str) -> bool:
    """Return whether a value looks made by a machine, not written as a word: long, with digits among letters."""
    if len(value) < 8:
        return False
    digits = sum(char.isdigit() for char in value)
    if digits == len(value):
        return len(value) >= 12
    if re.fullmatch(r"[a-z]+(?:[A-Z][a-z]+)*\d{0,2}|[a-z]+(?:[._/-][a-z]+)*\d{0,2}|[A-Z_]+\d{0,2}", value):
        return False
    return digits >= 2 or (len(value) >= 16 and digits >= 1) or (len(value) >= 20 and value.isalnum())


def holds_credentials(value: str) -> bool:
    """Return whether a value is Base64 of ``user:password``. Source: RFC 7617, section 2."""
    try:
        text = b64decode(value + "=" * (-len(value) % 4), validate=True).decode()
    except (NotBase64, ValueError):
        return False
    return ":" in text and text.isprintable()


def is_card(value: str) -> bool:
    """Return whether digits are a card's number: an issuer's range and length, and a right check digit.

    Source: ISO/IEC 7812-1, annex B (Luhn's formula).
    """
    digits = re.sub(r"[ -]", "", value)
    if not any(re.fullmatch(rule, digits) for rule in _CARDS) or len(set(digits)) < 3:
        return False
    if digits != value and not re.fullmatch(r"\d{4}([ -])\d{4}\1\d{4}\1\d{1,7}|\d{4}([ -])\d{6}\2\d{4,5}", value):
        return False
    total = 0
    for place, digit in enumerate(reversed(digits)):
        doubled = int(digit) * (1 + place % 2)
        total += doubled - 9 if doubled > 9 else doubled
    return total % 10 == 0


_CARDS = (
    r"4\d{12}(?:\d{3}){0,2}",
    r"5[1-5]\d{14}",
    r"2(?:22[1-9]|2[3-9]\d|[3-6]\d\d|7[01]\d|720)\d{12}",
    r"3[47]\d{13}",
    r"3(?:0[0-5]|[68]\d)\d{11}",
    r"6(?:011|5\d\d|4[4-9]\d)\d{12}",
    r"35(?:2[89]|[3-8]\d)\d{12}",
)
