"""What secrets look like, as a table: in which syntaxes a name and its value stand together, and known tokens.

Each pattern's group ``secret`` is what is hidden. ``test`` says how much the value itself must look like a secret.
"""

import re

from plain_verdict.masking.names import ANY, MADE, NEEDLES, TYPED
from plain_verdict.masking.pattern import EXACT, QUOTE, SecretPattern, Test
from plain_verdict.masking.tokens import TOKENS

_KEY = rf"(?P<key>{ANY})"
# A name in quotes or brackets may have more around its telling word: "x-api-key", "#user-password", "db.password".
_NAMED = rf"""[^"'`<>\n]{{0,60}}?(?P<key>{ANY})[^"'`<>\n,]{{0,12}}"""
_INSIDE = r"""[^"'`\n\\]{2,400}?"""
_WORD = r"""[^\s"'`&,;<>(){}\[\]\\|]+"""
_TELLERS = r"(?:name|key|header|id|field|label|param(?:eter)?|k)"
_VALUES = r"(?:value|val|v|content|text|data)"

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
        r"""(?:(?:bearer|basic|digest|token|negotiate|apikey|aws4-hmac-sha256)[ :=]{1,2})?"""
        r"""(?P<secret>[^\s"'\\<>\]][^"'\\\n<>\]]{5,})""",
    ),
    SecretPattern(
        "cookie",
        ("cookie",),  # Source: RFC 6265, section 4.1
        r"""\b(?:set-)?cookie\\{0,3}["']?\s{0,3}[:=]\s{0,3}\\{0,3}["']?(?P<secret>[\w.$!#%&*+^`|~-]+=[^"'\n<>\\]{3,})""",
    ),
    SecretPattern("bearer", ("bearer",), r"\bbearer[ :=]{1,2}(?P<secret>(?=[\w.~+/-]*\d)[\w.~+/-]{8,}=*)"),
    SecretPattern(
        "basic",
        ("basic", '"auth', "'auth", "_auth", "auth="),
        rf"(?:\bbasic[ :=]{{1,2}}|\b_?auth{QUOTE}?\s?[:=]\s?(?:{QUOTE})?)(?P<secret>[A-Za-z0-9+/]{{6,}}={{0,2}})(?![\w+/])",
        Test.BASIC,
    ),
    SecretPattern(
        "credentials in a url",
        ("://",),  # Source: RFC 3986, section 3.2.1
        r"\b[a-z][a-z0-9+.-]{1,20}://[^\s/:@\"'<>]{0,80}:(?P<secret>[^\s/@\"'<>]{1,200})@",
    ),
    SecretPattern(
        "token in a url",
        ("://",),
        r"\b[a-z][a-z0-9+.-]{1,20}://(?P<secret>[^\s/:@\"'<>]{16,200})@",
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
        ("sessid", "sessionid"),
        r"\b\w{0,8}sess(?:ion)?_?id\s?[:=]\s?(?P<secret>(?=[\w-]*\d)[\w-]{12,})",
    ),
)

_LOGIN = r"""(?:docker|podman|skopeo|buildah|crane|oras|helm|az|cf|oc|bw|fare|\w{2,12}-cli|\w+)\s+(?:registry\s+)?login\b"""
# A program and the option by which it takes a password; each as its manual has it.
_PROGRAMS = (
    (("mysql", "mariadb"), r"(?:mysql\w{0,10}|mariadb\w{0,10})", r"-p"),
    (("sshpass",), r"sshpass", r"-p[ ]?"),
    (("login ",), _LOGIN, r"-p[ ]?"),
    (("mongo", "smbclient", "rpcclient"), r"(?:mongo\w{0,8}|smbclient|rpcclient)", r"-p[ ]?"),
    (("redis-cli",), r"redis-cli", r"-a[ ]?"),
    (("sqlcmd", "isql"), r"(?:sqlcmd|isql)", r"-P[ ]?"),
    (("ldap",), r"ldap\w{3,8}", r"-w[ ]?"),
    (("zip -", "zip'"), r"(?:zip|unzip)", r"-P[ ]?"),
    (("7z ", "7za", "7zr"), r"7z[ar]?", r"-p"),
)

OPTIONS: tuple[SecretPattern, ...] = (
    SecretPattern(
        "option",
        ("-pass", "-token", "-secret", "api-key", "access-key", "apikey", "/pass", "/pwd"),
        r"(?<![\w-])(?:--?(?:[a-z0-9]+-)*|/)(?:password|passwd|pass|passcode|passphrase|pwd|token|secret|storepass|keypass"
        r"|(?:api|access|secret|auth)-?(?:key|token))"
        r"""(?P<sign>[ \t]+\\?\r?\n\s*|[ \t]+|[=:]|["'],?\s{0,3}["']|["'],\s{0,3})["']?(?P<secret>[^\s"'-][^\s"']{3,})""",
        Test.OPTION,
    ),
    SecretPattern(
        "user option",
        ("-u ", "--user"),
        r"""(?<!\S)(?:-u|--user)[ =]?["']?[^\s:<>"']{1,80}:(?P<secret>[^\s"']{2,})""",
        flags=EXACT,
    ),
    SecretPattern("pass phrase argument", ("pass:",), r"(?<!\S)-pass(?:in|out)?[ =]pass:(?P<secret>[^\s\"']+)"),
    *(
        SecretPattern(
            f"option of {needles[0].strip()}",
            needles,
            rf"""\b{program}{QUOTE}?[^\n]{{0,160}}?[\s"']{option}["']?(?P<secret>[^\s"'-][^\s"']{{2,}})""",
            Test.TYPED,
            flags=EXACT,
        )
        for needles, program, option in _PROGRAMS
    ),
    SecretPattern(
        "argument",
        ("htpasswd", "add_user", "change_password", "net use", "net user", "/user:"),
        r"\b(?:htpasswd\s+-\w*b\w*\s+\S+\s+\S+|(?:add_user|change_password)\s+\S+|net\s+use\s+\S+\s+\S+|net\s+user\s+\S+)"
        r"""\s+["']?(?P<secret>[^\s"'/-][^\s"']{2,})""",
    ),
    SecretPattern(
        "standard input",
        ("<<<", "-stdin"),
        r"""(?:<<<\s?["']?(?P<secret>[^\s"']{4,}))""",
        Test.TYPED,
    ),
    SecretPattern(
        "echoed",
        ("password-stdin", "passwd", "sudo -s"),
        r"""\b(?:echo|printf)\s+(?:-n\s+)?["']?(?P<secret>[^\s"'|]{4,})["']?\s*\|[^\n|]*(?:password-stdin|passwd|sudo -S)""",
        Test.TYPED,
    ),
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

_WRAPPED = r"(?:Some|Optional|String|Secret|Just|string\(\d{1,4}\)|Sensitive)?\(?\s?@?[brfu]?"

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
        rf"""{_KEY}[\w\]\["'`=)\\.#-]{{0,8}}[ ,]{{1,3}}b?{QUOTE}(?P<secret>{_INSIDE}){QUOTE}(?!\s*[:=])""",
        Test.BY_NAME,
    ),
    SecretPattern(
        "typed pair",
        NEEDLES,  # password=..., PASSWORD: ..., [password] => ..., Password -> ...
        rf"""(?P<key>{TYPED}|client[_-]?secret|secret[_-]?(?:access[_-]?)?key|private[_-]?key){QUOTE}?\]?"""
        rf"""(?P<sign>\s?=>\s?|\s?->\s?|\s?=\s?|[ ]?:\s?)"""
        rf"""(?P<secret>[^\s"'&,;<>(){{}}\[\]\\|][^\s"'&,;<>(){{}}\\]*)(?P<after>[(\[]|[ ]\w)?""",
        Test.PAIR,
    ),
    SecretPattern(
        "made pair",
        NEEDLES,  # token=..., api_key: ... ; the value must look made by a machine
        rf"""(?P<key>{MADE}){QUOTE}?\]?(?P<sign>\s?=>\s?|\s?=\s?|:\s?)(?P<secret>[\w.~+/%@!$^*|-]{{6,}}=*)(?![\w(])""",
        Test.MADE,
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
        rf"""(?:{ANY}){QUOTE}?[ ]?[:=][ ]?(?:[>|][+-]?|\\)?[ ]?\r?\n[ \t]+{QUOTE}?(?P<secret>[^\s"':=]{{4,}})(?=[\s"']|\Z)""",
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
        rf"""{QUOTE}?\b{_VALUES}{QUOTE}?\s?[:=]\s?{QUOTE}?(?P<secret>[^\s"'`,<>{{}}\\][^"'`\n,<>{{}}\\]{{2,400}}?)(?={QUOTE}|[,\s}}]|\Z)""",
        Test.BY_NAME,
    ),
    SecretPattern(
        "form part",
        ("form-data",),  # Source: RFC 7578, section 4.2
        rf"""form-data;\s?name=\\?["']{_NAMED}\\?["'][^\n]{{0,80}}(?:\r?\n[^\n]{{1,200}}){{0,3}}?\r?\n\r?\n(?P<secret>[^\r\n]{{2,400}})""",
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
        "in brackets",
        NEEDLES,
        rf"(?P<secret>[^\s\"'(),;/]{{4,}})\s\((?:the\s)?(?:{TYPED})\)",
        Test.TYPED,
    ),
)

PATTERNS: tuple[SecretPattern, ...] = (*TOKENS, *HEADERS, *OPTIONS, *NAMED, *SENTENCES)
"""In the order in which they are tried."""
