"""Command lines with a secret: which programs take one, and how, as their manuals say."""

from typing import NamedTuple

from plain_verdict.masking.pattern import EXACT, QUOTE, SecretPattern, Test


class Takes(NamedTuple):
    """Programs, by a regular expression, and the option by which they take a secret; what the needles tell."""

    needles: tuple[str, ...]
    program: str
    option: str


_LOGIN = (
    r"""(?:docker|podman|skopeo|buildah|crane|oras|helm|az|cf|oc|bw|\w{2,12}-cli|\w+)\s+(?:registry\s+)?login\b"""
)
_NET_SNMP = r"snmp(?:get|getnext|walk|bulkwalk|set|trap|inform|table|usm|df|status)\w{0,4}"

# In the order of what they talk to: databases, mail and queues, directories, machines, containers, files and keys.
_TAKES = (
    Takes(("mysql", "mariadb"), r"(?:mysql\w{0,10}|mariadb\w{0,10})", r"-p"),
    Takes(("mongo",), r"mongo\w{0,8}", r"-p[ ]?"),
    Takes(("redis-cli", "valkey-cli", "keydb-cli"), r"\w{3,8}-cli", r"(?:-a|--pass)[ ]?"),
    Takes(("sqlcmd", "isql", "bcp ", "tsql", "osql"), r"(?:sqlcmd|isql|osql|tsql|bcp)", r"-P[ ]?"),
    Takes(("cqlsh", "influx", "clickhouse"), r"(?:cqlsh|influx|clickhouse-client)", r"-{1,2}p(?:assword)?[ =]"),
    Takes(("mosquitto_",), r"mosquitto_\w{2,4}", r"(?:-P[ ]?|--pw[ =])"),
    Takes(("mosquitto_passwd",), r"mosquitto_passwd", r"-b\s+\S+\s+\S+\s+"),
    Takes(("swaks",), r"swaks", r"(?:-ap|--auth-password|-a[ps]w?)[ =]"),
    Takes(("kcat", "kafkacat"), r"(?:kcat|kafkacat)", r"-X[ ]?sasl\.password="),
    Takes(("ldapadd", "ldapmod", "ldapsea", "ldapwho", "ldappas", "ldapdel", "ldapcom", "ldapexop"), r"ldap\w{3,8}", r"-[wsa][ ]?"),
    Takes(("slappasswd",), r"slappasswd", r"-s[ ]?"),
    Takes(("smbclient", "rpcclient", "net rpc", "net ads", "net -u", "smbmap", "smbget"), r"(?:smbclient|rpcclient|net|smbmap|smbget)", r"(?:-U|--user)[ =]?[^\s%\"']{1,80}%"),
    Takes(("smbmap", "rpcclient", "crackmapexec"), r"(?:smbmap|rpcclient|crackmapexec)", r"-p[ ]?"),
    Takes(("ipmitool",), r"ipmitool", r"-[PE][ ]?"),
    Takes(("snmp",), _NET_SNMP, r"-[AXc][ ]?"),
    Takes(("sshpass",), r"sshpass", r"-p[ ]?"),
    Takes(("plink", "pscp", "psftp"), r"(?:plink|pscp|psftp)", r"-pw[ ]"),
    Takes(("ssh-keygen",), r"ssh-keygen", r"-[NP][ ]?"),
    Takes(("rdesktop", "vncviewer", "xfreerdp"), r"(?:rdesktop|xfreerdp)", r"(?:-p[ ]?|/p:)"),
    Takes(("login ",), _LOGIN, r"-p[ ]?"),
    Takes(("creds",), r"(?:skopeo|podman|buildah|crane|ctr)", r"--(?:src-|dest-)?creds[ =][^\s:\"']{1,80}:"),
    Takes(("lftp", "ncftp"), r"(?:lftp|ncftp\w{0,4})", r"-u[ ]?[\"']?[^\s,:\"']{1,80},"),
    Takes(("zip -",), r"(?:zip|unzip)", r"-P[ ]?"),
    Takes(("7z ", "7za", "7zr"), r"7z[ar]?", r"-p"),
    Takes(("rar ",), r"(?:un)?rar", r"-h?p"),
    Takes(("openssl ", "openssl'", 'openssl"'), r"openssl", r"(?:-k|-hmac|-kdfopt pass:|-pass(?:in|out|word)?[ =]pass:|-passwd|-pskt?|passwd(?: -\w+)*)[ ]?"),
    Takes(("useradd", "usermod"), r"user(?:add|mod)", r"(?:-p|--password)[ =]"),
    Takes(("curl ", "curl'", 'curl"'), r"curl", r"(?:-U|--proxy-user|--user|-u)[ =]?[\"']?[^\s:<>\"']{1,80}:"),
    Takes(("--proxy", " -x "), r"\w{2,20}", r"(?:--proxy|-x)[ =][\"']?[\w.-]{1,60}:(?=[^\s@]{1,80}@)"),
    Takes(("doveadm",), r"doveadm", r"-p[ ]?"),
    Takes(("doveadm auth",), r"doveadm\s[^\n]{0,40}auth\s+test\b[^\n]{0,80}", r"\w{1,40}[ ]"),
    Takes(("ab -",), r"ab", r"-[AP][ ]?[\"']?[^\s:\"']{1,80}:"),
    Takes(("pdftk", "_pw "), r"pdftk", r"(?:user_pw|owner_pw|input_pw)[ ]"),
)  # fmt: skip

# Programs that take it by its place.
_ARGUMENTS = (
    (("htpasswd",), r"htpasswd\s+(?:-\w+\s+)*-?\w*n\w*\s+\S+\s+"),
    (("htpasswd",), r"htpasswd\s+-\w*b\w*\s+\S+\s+\S+\s+"),
    (("wpa_passphrase",), r"wpa_passphrase\s+(?:\"[^\"]*\"|'[^']*'|\S+)\s+"),
    (("add_user", "change_password"), r"(?:add_user|change_password)\s+\S+\s+"),
    (("net use",), r"net\s+use\s+\S+\s+\S+\s+"),
    (("net user",), r"net\s+user\s+\S+\s+"),
    (("/user:",), r"/user:\S+\s+(?:/pass(?:word)?:)?"),
    (("isql",), r"isql\s+(?:-\w+\s+)*(?!-)\S+\s+(?!-)\S+\s+"),
    (("mysqladmin", "mariadb-admin"), r"(?:mysqladmin|mariadb-admin)\b[^\n]{0,160}\spassword\s+"),
    (("smbclient",), r"smbclient\s+[\"']?(?://|\\\\)\S+\s+"),
    (("sqlplus", "impdp", "expdp", "sqlldr", "rman"), r"(?:sqlplus|impdp|expdp|sqlldr|rman)\b[^\n]{0,80}?\s[\w$#\"]{1,40}/"),
)  # fmt: skip

OPTIONS: tuple[SecretPattern, ...] = (
    SecretPattern(
        "option",
        (
            "-pass",
            "-token",
            "-secret",
            "api-key",
            "api_key",
            "access-key",
            "apikey",
            "/pass",
            "/pwd",
            "_key",
            "-pwd",
        ),
        r"(?<![\w-])(?:--?(?:[a-z0-9]+[-_])*|/)(?:password|passwd|pass|passcode|passphrase|pwd|token|secret|storepass|keypass"
        r"|(?:api|access|secret|auth)[-_]?(?:key|token))"
        r"""(?P<sign>[ \t]+\\?\r?\n\s*|[ \t]+|[=:]|["'],?\s{0,3}["']|["'],\s{0,3})["']?(?P<secret>[^\s"'(-][^\s"']{3,})""",
        Test.OPTION,
    ),
    SecretPattern(
        "user option",
        ("-u ", "--user"),
        r"""(?<!\S)(?:-u|--user)[ =]?["']?[^\s:<>"']{1,80}:(?P<secret>[^\s"']{2,})""",
        flags=EXACT,
    ),
    SecretPattern(
        "sign-in option",
        ("--auth", " -a "),
        r"""(?<!\S)(?:--auth|-a)[ =]["']?[\w.@-]{1,80}:(?P<secret>[^\s"']{3,})""",
        Test.WORD,
    ),
    SecretPattern(
        "pass phrase argument", ("pass:",), r"(?<!\S)-pass(?:in|out|word)?[ =][\"']?pass:(?P<secret>[^\s\"']+)"
    ),
    *(
        SecretPattern(
            f"option of {takes.needles[0].strip()}",
            takes.needles,
            rf"""[\s"']{takes.option}["']?(?P<secret>[^\s"'-][^\s"']{{2,}})""",
            Test.TYPED,
            EXACT,
            rf"""\b{takes.program}{QUOTE}?\s[^\n]{{0,800}}|\b{takes.program}["'],[^\n]{{0,800}}""",
        )
        for takes in _TAKES
    ),
    *(
        SecretPattern(
            f"argument of {needles[0]}",
            needles,
            rf"""\b{before}["']?(?P<secret>[^\s"'/@-][^\s"'@]{{2,}})""",
            Test.TYPED if needles[0] != "htpasswd" else Test.NONE,
        )
        for needles, before in _ARGUMENTS
    ),
    SecretPattern("standard input", ("<<<", "-stdin"), r"""(?:<<<\s?["']?(?P<secret>[^\s"']{4,}))""", Test.TYPED),
    SecretPattern(
        "echoed",
        ("password-stdin", "passwd", "sudo -s"),
        r"""\b(?:echo|printf)\s+(?:-n\s+)?["']?(?P<secret>[^\s"'|]{4,})["']?\s*\|[^\n|]*(?:password-stdin|passwd|sudo -S)""",
        Test.TYPED,
    ),
)
