"""What secrets look like in protocols, in SQL, in files that programs read, and in connection strings."""

import re

from plain_verdict.masking.pattern import EXACT, QUOTE, SecretPattern, Test

_SQL_TEXT = r"""(?:'(?P<secret>(?!\\')[^'\n]{1,200})')"""
_B64 = r"[A-Za-z0-9+/]{6,}={0,2}"

PROTOCOLS: tuple[SecretPattern, ...] = (
    SecretPattern(
        "sign-in of mail",
        (
            "auth plain",
            "auth login",
            "authenticate",
        ),  # Source: RFC 4954, section 4; RFC 4616, section 2; RFC 3501, 6.2.2
        rf"\b(?:AUTH|AUTHENTICATE)[ ](?:PLAIN|LOGIN|XOAUTH2|OAUTHBEARER|CRAM-MD5)[ ](?P<secret>{_B64})",
    ),
    SecretPattern(
        "answer to a challenge",
        ("334 vxnlcm5hbwu6", "334 ugfzc3dvcmq6"),  # Source: RFC 4954, section 4: what is sent after a server's 334
        rf"\b334 [^\n]{{0,80}}\n[^\n\w]{{0,12}}(?:[\w:.-]{{0,24}}[ ]{{1,3}})?[-~<>]{{0,3}}[> '\"b]{{0,4}}(?P<secret>{_B64})",
    ),
    SecretPattern(
        "password command",
        (
            "'pass ",
            '"pass ',
            "`pass ",
            ">pass ",
            "> pass ",
            ": pass ",
            ":pass ",
        ),  # Source: RFC 959, section 4.1.1 (FTP); RFC 1939, section 7 (POP3)
        r"""(?:['"`]|>[ ]?|\b(?:C|S|send|client):[ ]{0,2})PASS[ ](?P<secret>[^\s'"\\\r\n]{3,})""",
        Test.WORD,
        flags=EXACT,
    ),
    SecretPattern(
        "login command",
        (" login ",),  # Source: RFC 3501, section 6.2.3 (IMAP)
        r"""\b[A-Za-z]{0,4}\d{1,6}[ ]LOGIN[ ]"?[^\s"]{1,80}"?[ ]"?(?P<secret>[^\s"'\\]{3,})""",
        flags=EXACT,
    ),
    SecretPattern(
        "login command with a word for a tag",
        (" login ",),
        r"""(?:^|[\s'"])[A-Za-z]{1,6}[ ]LOGIN[ ]"?[^\s"]{1,80}"?[ ]"?(?P<secret>[^\s"'\\]{3,})""",
        Test.TYPED,
        re.IGNORECASE | re.MULTILINE,
    ),
    SecretPattern(
        "password in the clear",
        ("{plain}", "{clear}", "{cleartext}"),  # Source: RFC 2307, section 5.3: a scheme in braces before the value
        r"\{(?:PLAIN|CLEAR|CLEARTEXT)\}(?P<secret>[^\s:'\"]{3,})",
    ),
    SecretPattern(
        "command of a cache",
        ("auth ", 'auth"', "auth\\r"),  # Source: Redis commands AUTH and HELLO
        rf"""(?:^|[\s'">]){QUOTE}?AUTH{QUOTE}?[ ](?!PLAIN|LOGIN|CRAM|DIGEST|XOAUTH|OAUTH|NTLM|GSSAPI|SCRAM|EXTERNAL)(?:{QUOTE}?[\w.@-]{{1,40}}{QUOTE}?[ ])?{QUOTE}?(?P<secret>[^\s"'\\]{{4,}}){QUOTE}?(?=\s*(?:\\r|\r|$|["'\]]|SETNAME))""",
        Test.WORD,
        flags=EXACT | re.MULTILINE,
    ),
    SecretPattern(
        "setting of a server",
        ("requirepass", "masterauth", "rootpw", "psk=", 'psk"', "psk ", "psk:", "ssl_key_password", "sasl_pass"),
        r"""\b(?:requirepass|masterauth|rootpw|(?:wpa_)?psk|ssl_key_password|sasl_passw(?:or)?d)\b["']?\s{0,3}[ =:,\n]\s{0,3}(?P<q>["']?)(?P<secret>[^\s"']{4,})""",
        Test.WORD,
    ),
    SecretPattern(
        "user of a cache",
        ("setuser", " on >", "~*", "+@"),  # Source: Redis, "ACL"
        r"""(?:\buser\s+\S{1,40}\s+(?:on|off)|\bSETUSER["']?\s)[^\n]{0,120}?[\s"']>(?P<secret>[^\s"']{3,})""",
    ),
    SecretPattern(
        "directory entry",
        ("userpassword", "unicodepwd", "krbprincipalkey", "sambantpassword"),  # Source: RFC 2849 (LDIF), RFC 4519
        r"\b(?:userPassword|unicodePwd|krbPrincipalKey|sambaNTPassword)(?:;\w+)?::?[ ]?(?P<secret>[^\s]{3,})",
    ),
    SecretPattern(
        "statement that sets a password",
        ("identified ", "password '", 'password "', "password('", "password ('", "password =", "passwd '"),
        # Source: ISO/IEC 9075 leaves it open; PostgreSQL CREATE ROLE, MySQL CREATE USER, Oracle CREATE USER
        rf"""(?:\bIDENTIFIED\s+(?:WITH\s+\S+\s+)?(?:BY|AS|USING)(?:\s+PASSWORD)?\s+|\b(?:PASSWORD|PASSWD)\s*\(\s*|\b(?:UN|EN)CRYPTED\s+PASSWORD\s+|\b(?:PASSWORD|PASSWD)\s+(?:FOR\s+\S+\s*=\s*)?){_SQL_TEXT}""",
    ),
    SecretPattern(
        "statement with a bare password",
        ("identified by",),  # Source: Oracle Database SQL Language Reference, CREATE USER
        r"""\bIDENTIFIED\s+BY\s+(?:VALUES\s+)?"?(?P<secret>[^\s"';]{3,})""",
        Test.WORD,
    ),
    SecretPattern(
        "connection string of a driver",
        ("@tcp(", "@unix(", "@("),  # Source: the data source names of Go's drivers
        r"""\b[\w.$#-]{1,60}:(?P<secret>[^\s@"'/]{3,})@(?:tcp|unix)?\(""",
    ),
    SecretPattern(
        "connection string of Oracle",
        ("thin:", "@//"),  # Source: Oracle JDBC Developer's Guide, thin-style names; Easy Connect
        r"""(?:thin:|\s|["'])[\w.$#]{1,40}/(?P<secret>[^\s@"'/]{3,})@(?://)?[\w.-]{1,80}[:/]""",
    ),
    SecretPattern(
        "key of a framework",
        ("base64:", "key-data", "master_key", "masterkey", "secretkey"),
        r"""\b(?:APP_KEY\s?[=:]\s?["']?base64:|client-key-data:\s?|[\w-]{0,40}MASTER_?KEY["']?\s?[=:]\s?["']?)(?P<secret>[A-Za-z0-9+/_-]{8,}={0,2})""",
    ),
    SecretPattern(
        "serialized pair",
        ('";s:',),  # Source: PHP manual, serialize
        r"""s:\d{1,3}:\\{0,3}"[^"]{0,40}?(?:pass\w{0,6}|pw|secret\w{0,8}|\w{0,16}token|\w{0,8}api_?key|pin)\\{0,3}";s:\d{1,5}:\\{0,3}"(?P<secret>[^"\n]{2,400})""",
    ),
    SecretPattern(
        "end of a private key",
        ("private key-----",),  # Source: RFC 7468, section 2: a text may begin in the middle of one
        r"(?P<secret>(?:[A-Za-z0-9+/=]{20,80}\s{1,4}){1,400}[A-Za-z0-9+/=]{0,80}\s{0,4})(?=-----END [A-Z ]{0,24}PRIVATE KEY)",
        flags=EXACT,
    ),
    SecretPattern(
        "key of a shell",
        ("b3blbnnzac1rzxktdje",),  # Source: OpenSSH, PROTOCOL.key: "openssh-key-v1" in Base64
        r"(?P<secret>b3BlbnNzaC1rZXktdjE(?:[A-Za-z0-9+/=]+\s{0,4}){1,400})",
        flags=EXACT,
    ),
    SecretPattern(
        "hook",
        ("hooks/", "hook/"),
        r"/(?:web)?hooks?/(?P<secret>(?:[\w-]{2,}/){0,4}[\w-]{12,})",
        Test.MADE,
    ),
    SecretPattern(
        "link that signs in",
        ("/magic", "/reset", "-reset/", "/passwordreset", "/invit", "/verify", "/confirm", "/activat", "/login"),
        r"/(?:magic|(?:password-?)?reset|invit\w{1,6}|verify|confirm|activat\w{1,3}|login)[\w-]{0,20}/(?P<secret>[\w.~=-]{12,})",
        Test.MADE,
    ),
    SecretPattern(
        "signature of a message",
        ("signature",),
        r"""\bsignature(?:-\d{1,3})?["']?\s?[:=,]\s?["']?(?:sha\d{1,3}|v\d|t=\d+,v\d)=(?P<secret>[\w+/=-]{16,})""",
    ),
    SecretPattern(
        "parameter of a sign-in",
        ("code=", "code:", 'code"', "verifier", "assertion", "samlre", "samlart"),
        # Source: RFC 6749, section 4.1.2; RFC 7636, 4.3; RFC 8628, 3.2; RFC 7521, 4.2; SAML 2.0 bindings, 3.5
        r"""(?<![\w-])(?:(?:device_|user_|auth(?:orization)?_)?code|code_verifier|(?:client_)?assertion|SAML(?:Request|Response|art))"""
        r"""["']?\s?={0,2}[=:]\s?["']?(?P<secret>[^&\s"'<>,;]{8,})""",
        Test.MADE,
    ),
    SecretPattern(
        "code of a device",
        ("user_code", "usercode"),  # Source: RFC 8628, section 6.1
        r"""\buser_?code["']?\s?[:=]\s?["']?(?P<secret>[A-Z0-9]{4}-[A-Z0-9]{4,5})\b""",
    ),
    SecretPattern(
        "sign-in of mail as it is read",
        ("auth plain",),  # Source: RFC 4616, section 2, with the zero bytes written as escapes
        r"\bAUTH PLAIN \\0[^\\\s]{1,80}\\0(?P<secret>[^\s\\]{3,})",
    ),
)
