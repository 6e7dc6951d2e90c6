"""What secrets look like, as a table: in which syntaxes a name and its value stand together, and known tokens.

Each pattern's group ``secret`` is what is hidden. ``test`` says how much the value itself must look like a secret.
"""

import re

from plain_verdict.masking.names import ANY_KEY, MADE, NEEDLES, TYPED
from plain_verdict.masking.pattern import EXACT, QUOTE, SecretPattern, Test
from plain_verdict.masking.programs import OPTIONS
from plain_verdict.masking.protocols import PROTOCOLS
from plain_verdict.masking.tokens import TOKENS


def _signed(*names: str) -> tuple[str, ...]:
    """Return needles for names with what may stand behind them where a value follows."""
    return tuple(
        f"{name}{sign}" for name in names for sign in ("=", ": ", ":=", '":', "':", "]", " =", '"=', "%5d")
    )


_KEY = rf"(?P<key>{ANY_KEY})"
# A name in quotes or brackets may have more around its telling word: "x-api-key", "#user-password", "db.password".
_NAMED = rf"""[^"'`<>\n]{{0,60}}?(?P<key>{ANY_KEY})[^"'`<>\n,]{{0,12}}"""
_INSIDE = r"""[^"'`\n\\]{2,400}?"""
_WORD = r"""[^\s"'`&,;<>(){}\[\]\\|]+"""
_TELLERS = r"(?:name|key|header|id|field|label|param(?:eter)?|k)"
_VALUE_KEYS = r"(?:value|val|v|content|text|data)"

HEADERS: tuple[SecretPattern, ...] = (
    SecretPattern(
        "digest",
        ("digest ",),  # Source: RFC 7616, section 3.4
        r"\bdigest[ ](?P<secret>(?:username|response|realm|nonce)=[^\n]{10,})",
    ),
    SecretPattern(
        "authorization",
        ("authorization",),  # Source: RFC 9110, section 11.6.2
        r"""\b(?:proxy-)?authorization\b\\{0,3}["']?\s{0,3}(?:[:=]\s{0,3}[\["'\\]{0,3}|,\s{0,3}\\{0,3}["']?value["'\\]{0,4}:\s?["'\\]{0,4})"""
        r"""(?:(?:bearer|basic|digest|token|negotiate|apikey|aws4-hmac-sha256)[ :=]{1,2})?(?![a-z]{4,9}\s{1,3}[<\[$*{])"""
        r"""(?P<secret>[^\s"'\\<>\]][^"'\\\n<>\]]{5,})""",
    ),
    SecretPattern(
        "cookie",
        ("cookie",),  # Source: RFC 6265, section 4.1
        r"""\b(?:set-)?cookie\\{0,3}["']?\s{0,3}[:=]\s{0,3}\\{0,3}["']?(?P<secret>[\w.$!#%&*+^`|~-]+=[^"'\n<>\\]{3,})""",
    ),
    SecretPattern(
        "bearer", ("bearer",), r"""\bbearer["']?[ :=]{1,3}["']?(?P<secret>(?=[\w.~+/-]*\d)[\w.~+/-]{8,}=*)"""
    ),
    SecretPattern(
        "basic",
        ("basic", '"auth', "'auth", "_auth", "auth="),
        rf"(?:\bbasic[ :=]{{1,2}}|\b_?auth{QUOTE}?\s?[:=]\s?(?:{QUOTE})?)(?P<secret>[A-Za-z0-9+/]{{6,}}={{0,2}})(?![\w+/])",
        Test.BASIC,
    ),
    SecretPattern(
        "credentials in a url",
        ("://",),  # Source: RFC 3986, section 3.2.1
        r"\b[a-z][a-z0-9+._-]{1,30}://[^\s/:@\"'<>]{0,80}:(?P<secret>[^\s/@\"'<>]{1,200})@",
    ),
    SecretPattern(
        "token in a url",
        ("://",),
        r"\b[a-z][a-z0-9+._-]{1,30}://(?P<secret>[^\s/:@\"'<>]{16,200})@",
    ),
    SecretPattern(
        "web hook",
        ("/services/", "/webhook"),
        r"/(?:services|webhooks?)/(?P<secret>[\w-]{3,}/[\w-]{3,}(?:/[\w-]{16,})|[\w-]{10,}/[\w-]{20,})",
    ),
    SecretPattern(
        "signed url",
        tuple(
            f"{name}="
            for name in ("sig", "signature", "credential", "token", "code", "key", "state", "ticket", "jwt", "auth")
        ),
        r"[?&#](?:sig|signature|x-[a-z]{3,5}-(?:signature|credential|security-token)|code|key|state|ticket|jwt|auth"
        r"|\w{0,12}token)=(?P<secret>(?=[^&\s\"'<>]*\d)[^&\s\"'<>]{8,})",
    ),
    SecretPattern(
        "session",
        ("sessid", "sessionid", "sid=", "sid:", "sid'"),
        r"""\b(?:\w{0,8}sess(?:ion)?_?id|(?:connect\.)?s?sid)["']?\s?[:=]\s?["']?(?P<secret>[\w%.-]{8,})""",
        Test.MADE,
    ),
)

FILES: tuple[SecretPattern, ...] = (
    SecretPattern(
        "netrc",
        ("machine ",),
        r"\bmachine\s+\S+\s+login\s+\S+\s+password\s+(?P<secret>\S+)",
    ),
    SecretPattern(
        "password file",
        (":5432:", ":*:", ":3306:", ":1521:", ":1433:"),  # Source: PostgreSQL documentation, "The Password File"
        r"^[\w.*-]{1,80}:(?:\d{2,5}|\*):[\w*-]{1,60}:[\w*-]{1,60}:(?P<secret>[^\s:]{4,})$",
        Test.TYPED,
        flags=re.MULTILINE,
    ),
)

_WRAPPED = r"(?:Some|Optional|String|Secret|Just|string\(\d{1,4}\)|Sensitive|base64:)?\(?\s?@?[brfu]?"

NAMED: tuple[SecretPattern, ...] = (
    SecretPattern(
        "quoted value",
        NEEDLES,  # "password": "...", 'token': '...', secret = "...", ["password"]=> string(4) "...", Some("...")
        rf"""{_KEY}{QUOTE}?[\])]?{QUOTE}?\s{{0,3}}(?:=>|:=|->|[:=])\s{{0,8}}{_WRAPPED}\s?(?P<quote>{QUOTE})"""
        r"""(?P<secret>(?:(?!(?P=quote))[^\n]){1,400}?)(?P=quote)""",
        Test.QUOTED,
    ),
    SecretPattern(
        "quoted beside",
        NEEDLES,  # {password,"..."}, (:password "..."), password "...", ('password', '...'), put("X-Api-Key", "...")
        rf"""{_KEY}[\w\]\["'`=)\\.:#-]{{0,12}}[ ,]{{1,3}}b?{QUOTE}(?P<secret>{_INSIDE}){QUOTE}(?!\s*[:=])""",
        Test.BY_NAME,
    ),
    SecretPattern(
        "typed pair",
        NEEDLES,  # password=..., PASSWORD: ..., [password] => ..., Password -> ...
        rf"""(?P<key>{TYPED}|client[_-]?secret|secret[_-]?(?:access[_-]?)?key|private[_-]?key){QUOTE}?\]?"""
        rf"""(?P<sign>\s?=>\s?|\s?->\s?|\s?=\s?|[ ]?[:：]\s?)"""
        rf"""(?P<secret>[^\s"'&,;<>(){{}}\[\]\\|][^\s"'&,;<>(){{}}\\]*)(?P<after>[(\[]|[ ]\w)?""",
        Test.PAIR,
    ),
    SecretPattern(
        "made pair",
        NEEDLES,  # token=..., api_key: ... ; the value must look made by a machine
        rf"""(?P<key>{MADE}){QUOTE}?\]?(?P<sign>\s?=>\s?|\s?={{1,2}}\s?|:\s?)(?P<secret>[\w.~+/%@!$^*|#-]{{6,}}=*)(?![\w(])""",
        Test.ASSIGNED,
    ),
    SecretPattern(
        "variable",
        NEEDLES,  # ENV API_KEY ..., a dump of the environment in columns
        r"""(?<![\w.])[A-Z][A-Z0-9_]{0,60}(?:PASS(?:WORD|WD|PHRASE)?|PWD|TOKEN|SECRET|KEY|CREDENTIALS?)[ \t]{1,40}"""
        r"""(?P<secret>(?=\S*\d)[^\s"'=:|<>(){}-][^\s"'|<>(){}]{5,})""",
        Test.TYPED,
        flags=EXACT,
    ),
    SecretPattern(
        "next line",
        NEEDLES,  # password:\n  ..., token: >-\n  ...
        rf"""(?:{ANY_KEY}){QUOTE}?[ ]?[:=][ ]?(?:[>|][+-]?|\\)?[ ]?\r?\n[ \t]+{QUOTE}?(?P<secret>[^\s"':=]{{4,}})(?=[\s"']|\Z)""",
        Test.TYPED,
    ),
    SecretPattern(
        "element",
        NEEDLES,  # <password>...</password>, <wsse:Password Type="...">...<
        rf"""<(?:[\w.-]+:)?[\w.-]*?{_KEY}\w{{0,8}}(?:\s[^<>]{{0,200}})?>\s{{0,8}}(?P<secret>[^<>\n]{{2,400}}?)\s{{0,8}}</""",
        Test.BY_NAME,
    ),
    SecretPattern(
        "element after its name",
        NEEDLES,  # <key>clientSecret</key><string>...<, <td>Password</td><td>...<, name="token"><value>...<
        rf"""[>"'](?:[\w.-]{{0,40}}?[._-])?{_KEY}(?:\s?:)?(?:</[\w:]+>|["'][^<>]{{0,80}}>)\s{{0,40}}(?:<\w[^<>]{{0,80}}>\s{{0,8}}){{0,2}}"""
        r"""(?P<secret>[^<>\n]{3,400}?)\s{0,8}</""",
        Test.BY_NAME,
    ),
    SecretPattern(
        "attribute",
        NEEDLES,  # <add key="ApiToken" value="...">, <input type=password value=...>
        rf"""<\w[^<>]{{0,200}}?(?:["'=]password["'\s]|(?:name|key|id)\s?=\s?["']?{_NAMED}["']?)[^<>]{{0,200}}?"""
        r"""\b(?:value|content|val)\s?=\s?(?:["'](?P<secret>[^"'<>\n]{2,400})["'])""",
        Test.BY_NAME,
    ),
    SecretPattern(
        "bare attribute",
        ("password",),
        r"""<input\b[^<>]{0,200}?["'=]?password\b[^<>]{0,200}?\bvalue\s?=\s?(?P<secret>[^\s"'<>]{2,400})""",
    ),
    SecretPattern(
        "named apart",
        NEEDLES,  # {"name": "x-api-key", "value": "..."}
        rf"""\b{_TELLERS}{QUOTE}?\s?[:=]\s?{QUOTE}?{_NAMED}{QUOTE}?\s{{0,3}}[,;]?\s{{0,40}}-?\s?"""
        rf"""{QUOTE}?\b{_VALUE_KEYS}{QUOTE}?\s?[:=]\s?{QUOTE}?(?P<secret>[^\s"'`,<>{{}}\\][^"'`\n,<>{{}}\\]{{2,400}}?)(?={QUOTE}|[,\s}}]|\Z)""",
        Test.BY_NAME,
    ),
    SecretPattern(
        "form part",
        ("form-data",),  # Source: RFC 7578, section 4.2
        rf"""form-data;\s?name=\\?["']{_NAMED}\\?["'][^\n]{{0,80}}(?:\r?\n[^\n]{{1,200}}){{0,3}}?\r?\n\r?\n(?P<secret>[^\r\n]{{2,400}})""",
    ),
)

_SHORT_NAMES = r"(?:pass|pw|pwd|pin|psk|passkey|authkey|auth_pass|community|jwt|pat)"
SHORT: tuple[SecretPattern, ...] = (
    SecretPattern(
        "short name",
        # pass=..., "pw": "...", [pass:Login:private] => ...
        (*_signed("pass", "pw", "pwd", "pin", "psk", "passkey", "authkey", "community", "jwt", "pat"), ":private]"),
        rf"""(?<![\w-])(?!(?-i:PASS):?\s){_SHORT_NAMES}{QUOTE}?(?::[\w"\\]{{1,40}}:(?:private|protected))?\]?\s?(?:=>|=|:)\s{{0,8}}"""
        rf"""(?:string\(\d+\)\s)?{QUOTE}?(?P<secret>[^\s"'`&,;<>(){{}}\[\]\\|]{{4,}})""",
        Test.WORD,
    ),
    SecretPattern(
        "escaped brackets",
        ("%5d=",),  # nested%5Bapi_key%5D=...
        rf"(?P<key>{ANY_KEY})%5D=(?P<secret>[^&\s\"']{{4,}})",
        Test.WORD,
    ),
)

_USER = r"""(?:b?["'][^"'\n]{1,120}["']|[\w.$]{1,40})"""
CALLS: tuple[SecretPattern, ...] = (
    SecretPattern(
        "argument of a call",
        (
            *("login(", "log_in(", "signin(", "sign_in(", "connect(", "bind(", "auth(", "auth_", "authenticate("),
            *("authorize(", "passwd(", "passwordauthentication", "pdo(", "credential", "__construct("),
        ),
        rf"""\b\w*(?:login|log_in|sign_?in|connect|bind|auth(?:enticate|orize|_\w{{1,20}})?|passwd|passwordauthentication|pdo"""
        rf"""|credentials?|__construct)\((?:{_USER},\s{{0,2}}){{1,3}}(?:password=)?b?["']?(?!\w+=)(?P<secret>[^\s"'(),=][^"'\n(),]{{3,200}})["']?(?=[,)])""",
        Test.TYPED,
    ),
    SecretPattern(
        "user and password in one",
        _signed("auth"),  # auth: 'kari:...'
        r"""\bauth["']?\s?[=:]\s?["'][\w.@-]{1,80}:(?P<secret>[^\s"']{3,200})["']""",
    ),
    SecretPattern(
        "only argument of a call",
        ("password(", "secret(", "token(", "apikey(", "api_key(", "passphrase("),
        rf"""(?:set|with|use|add|input)_?\w{{0,12}}?{_KEY}\(\s?b?["'](?P<secret>[^"'\n]{{4,200}})["']""",
        Test.WORD,
    ),
    SecretPattern(
        "pair of user and password",
        (
            *_signed("auth"),
            "basic_auth",
            "basicauth",
            "authenticate ",
        ),  # auth=('kari', '...'), basic_auth "kari", "...", auth: 'kari:...'
        r"""(?:\bauth\s?[=:]\s?[(\[]|\b(?:basic_?auth|authenticate)\s{1,4})["'][^"'\n]{1,80}["'],\s?["'](?P<secret>[^"'\n]{3,200})["']""",
    ),
)

_DO = r"(?:send_?keys|type|fill|val|value|set_?value|set|press_sequentially|pressSequentially|input|clear_and_type)"
_PUT = r"(?:enter(?:s|ed|ing)?|typ(?:e[sd]?|ing)|fill(?:s|ed|ing)?(?:\s+in)?|input(?:s|ted)?|insert(?:s|ed)?|set|wr(?:ite|ote))"

SENTENCES: tuple[SecretPattern, ...] = (
    SecretPattern(
        "field of a page",
        NEEDLES,  # find('#password').send_keys('...'), getByLabel('Password').fill('...')
        rf"""{_KEY}[^\n"'`]{{0,12}}{QUOTE}?[\])]*\)?{QUOTE}?\s?\)?\s?\.{_DO}\(\s?{QUOTE}(?P<secret>{_INSIDE}){QUOTE}""",
    ),
    SecretPattern(
        "field and value",
        NEEDLES,  # fill("input[name=password]", "..."), type('#passwd', '...'), "Password" with "..."
        rf"""{QUOTE}{_NAMED}{QUOTE}?[\])]{{0,2}}{QUOTE}?\s{{0,2}}(?:,|with|to|as|=)\s{{0,2}}{QUOTE}(?P<secret>{_INSIDE}){QUOTE}""",
        Test.BY_NAME,
    ),
    SecretPattern(
        "value into a field",
        NEEDLES,  # typed "..." into the field Password
        rf"""{QUOTE}(?P<secret>{_INSIDE}){QUOTE}\s+(?:in|into|for|as|to|on)\s+(?:the\s+|a\s+)?(?:(?:field|box|input)\s+)?{QUOTE}?"""
        rf"""[\w #.-]{{0,20}}?{_KEY}""",
        Test.TYPED,
    ),
    SecretPattern(
        "bare value into a field",
        NEEDLES,  # Entered ... in field "Password"
        rf"""\b{_PUT}\s+(?P<secret>[^\s"']{{4,}})\s+(?:in|into|for|as|to)\s+(?:the\s+|a\s+)?(?:(?:field|box|input)\s+)?{QUOTE}?{_KEY}""",
        Test.TYPED,
    ),
    SecretPattern(
        "keyword arguments",
        NEEDLES,  # Input Text    id=password    ...
        rf"""[:=#]?\w{{0,20}}{_KEY}\w{{0,12}}[ ]{{2,12}}(?P<secret>[^\s"'|<>(){{}}:=,]{{4,}})(?=\s|\Z)""",
        Test.TYPED,
    ),
    SecretPattern(
        "sentence",
        NEEDLES,  # the password is ..., with password ..., password changed from ... to ...
        rf"""(?:\b|(?<=_)|(?<=auth)){_KEY}{QUOTE}?(?:\sfor\s\w+[:=])?\s+(?:(?:is|was|are|lautet|ist|est|es|er|är|on|to|from|of|changed\s+from|set\s+to|reset\s+to)\s+)?"""
        rf"""(?:now\s+|set\s+to\s+|changed\s+to\s+)?{QUOTE}?(?P<secret>{_WORD})""",
        Test.BY_NAME,
    ),
    SecretPattern(
        "signed in with",
        # Cannot log in as kari with '...', invalid login: kari / ...
        ("login", "log in", "logged in", "signed in", "sign in", "credential", "authenticat"),
        rf"""\b(?:log(?:ged|ging)?[ -]?in|sign(?:ed|ing)?[ -]?in|authenticat\w{{1,5}}|connect\w{{0,3}}|credentials?)\b[^\n"'`]{{0,60}}?"""
        rf"""(?:(?:with|using)\s{QUOTE}|[\w.@-]{{1,60}}(?:\s/\s|:\s{{0,2}}))(?P<secret>[^\s"'`/]{{4,}})""",
        Test.TYPED,
    ),
    SecretPattern(
        "value behind an address",
        NEEDLES,  # password=0x7ffe0c "...", as debuggers print texts
        rf"""{_KEY}\w{{0,8}}\s?=\s?0x[0-9a-f]{{1,16}}\s(?:<[^<>\n]{{0,60}}>\s)?"(?P<secret>[^"\n]{{2,400}})\"""",
        Test.WORD,
    ),
    SecretPattern(
        "answer to a prompt",
        NEEDLES,  # token? ...
        rf"""{_KEY}\?\s{QUOTE}?(?P<secret>[^\s"'`]{{4,}})""",
        Test.TYPED,
    ),
    SecretPattern(
        "signed in with it",
        ("in with ", "in using "),
        r"\b(?:log|sign)(?:ged|ging|ed|ing)?[ -]?in (?:with|using) (?P<secret>[^\s\"'`,;]{4,})",
        Test.TYPED,
    ),
    SecretPattern(
        "setting to",
        (
            "setting -",
            "setting pass",
            "setting token",
            "setting secret",
            "setting api",
        ),  # Setting --password (password) to ...
        rf"""\bsetting\s[-\w.]{{0,20}}?{_KEY}\S{{0,8}}\s(?:\([^()\n]{{0,40}}\)\s)?to\s{QUOTE}?(?P<secret>[^\s"']{{4,}})""",
        Test.WORD,
    ),
    SecretPattern(
        "expected and got",
        NEEDLES,  # expected no password, got '...'
        rf"""{_KEY}[^\n"'`]{{0,40}}\b(?:got|was|found|received|given|actual(?:ly)?)[: ]{{1,3}}{QUOTE}(?P<secret>[^\s"'`]{{4,200}}){QUOTE}""",
        Test.WORD,
    ),
    SecretPattern(
        "code",
        (
            "one-time",
            "one time",
            "verification c",
            "security c",
            "otp c",
            "2fa c",
            "sms c",
            "pin c",
            "access c",
            "login c",
        ),
        r"\b(?:one[ -]time|verification|security|login|access|otp|2fa|sms|pin)[ -](?:pass)?code\b[^\n\d]{0,12}(?P<secret>\d{4,8})\b",
    ),
    SecretPattern(
        "named code",
        (
            *_signed("otp", "2fa", "mfa", "sms", "tan"),
            "otp_",
            "otp-",
            "otp c",
            "2fa_",
            "2fa c",
            "mfa_",
            "mfa c",
            "sms_",
        ),
        rf"\b(?:t?otp|2fa|mfa|sms|tan)[ _-]?(?:code|token|pin)?{QUOTE}?\]?\s?(?:=>|[:=])\s?{QUOTE}?(?P<secret>\d{{4,8}})\b",
    ),
    SecretPattern(
        "in brackets",
        NEEDLES,
        rf"(?<![^\s\"'(),;/])(?P<secret>[^\s\"'(),;/]{{4,200}})\s\((?:the\s)?(?:{TYPED})\)",
        Test.TYPED,
    ),
)

PATTERNS: tuple[SecretPattern, ...] = (
    *TOKENS,
    *HEADERS,
    *PROTOCOLS,
    *OPTIONS,
    *FILES,
    *NAMED,
    *SHORT,
    *CALLS,
    *SENTENCES,
)
"""In the order in which they are tried."""
