"""Tokens, keys and numbers that can be told by themselves: what makes them begins or ends them alike."""

import re

from plain_verdict.masking.pattern import EXACT, QUOTE, SecretPattern, Test

_PREFIXES = (
    *("akia", "asia", "abia", "acca", "aiza", "ya29.", "ghp_", "gho_", "ghu_", "ghs_", "ghr_", "github_pat_"),
    *("glpat-", "gldt-", "glrt-", "glcbt-", "glptt-", "glsoat-", "xox", "xapp-", "k_live_", "k_test_", "whsec_"),
    *("npm_", "pypi-", "sk-", "hf_", "dop_v1_", "shpat_", "shpca_", "shppa_", "shpss_", "sg.", "key-"),
    *("hvs.", "hvb.", "age-secret", "dp.pt.", "lin_api_", "eyjrijoi", "gocspx-"),
)

TOKENS: tuple[SecretPattern, ...] = (
    SecretPattern(
        "private key",
        ("-----begin",),  # Source: RFC 7468, section 2; a text cut off may lack its end
        r"-----BEGIN (?:[A-Z0-9]+ ){0,3}PRIVATE KEY(?: BLOCK)?-----(?P<secret>.+?)(?=-----END |\Z)",
        flags=re.DOTALL,
    ),
    SecretPattern(
        "jwt",
        ("eyj",),  # Source: RFC 7519, section 3: two or three parts, of which the first is a JSON object
        r"(?<![A-Za-z0-9])(?P<secret>eyJ[\w-]{5,}\.(?:eyJ)?[\w-]{5,}(?:\.[\w-]*)?)",
        flags=EXACT,
    ),
    SecretPattern(
        "known token",
        _PREFIXES,  # prefixes that services give their keys, so that scanners can tell them
        r"(?<![A-Za-z0-9])(?P<secret>(?:AKIA|ASIA|ABIA|ACCA)[0-9A-Z]{16}(?![0-9A-Z])|AIza[\w-]{35}|ya29\.[\w-]{20,}"
        r"|gh[pousr]_\w{30,}|github_pat_\w{22,}|gl(?:pat|dt|rt|cbt|ptt|soat)-[\w-]{20,}|xox[abeoprs]-[\w-]{10,}"
        r"|xapp-[\w-]{10,}|[srp]k_(?:live|test)_\w{10,}|whsec_\w{16,}|npm_[A-Za-z0-9]{30,}|pypi-AgE[\w-]{20,}"
        r"|sk-(?:[\w]+-)*[\w-]{20,}|hf_[A-Za-z0-9]{30,}|dop_v1_[0-9a-f]{40,}|shp(?:at|ca|pa|ss)_[0-9a-fA-F]{20,}"
        r"|SG\.[\w-]{16,}\.[\w-]{16,}|key-[0-9a-f]{32}|hv[sb]\.[\w-]{20,}|GOCSPX-[\w-]{20,}"
        r"|AGE-SECRET-KEY-1[0-9A-Z]{20,}|dp\.pt\.\w{20,}|lin_api_\w{20,}|eyJrIjoi[\w-]{20,}=*)",
        flags=EXACT,
    ),
    SecretPattern(
        "password hash",
        (
            "$1$",
            "$2a$",
            "$2b$",
            "$2y$",
            "$5$",
            "$6$",
            "$7$",
            "$y$",
            "$apr1$",
            "$argon2",
            "pbkdf2",
            "scrypt",
            "sha}",
        ),
        # Source: crypt(5), "Hashing methods"; PHC string format; RFC 2307, section 5.3
        r"(?<![\w$])(?P<secret>\$2[abxy]\$\d\d\$[./A-Za-z0-9]{53}|\$(?:1|5|6|7|y|apr1)\$[^\s:$]+\$[./A-Za-z0-9$]{16,}"
        r"|\$argon2(?:id|i|d)\$[\w=,$+/.-]{30,}|pbkdf2[_:-]sha\d+[:$][\w:$+/=.-]{20,}|scrypt:[\w:$+/=.-]{20,}"
        r"|\{S?SHA(?:256|512)?\}[\w+/=]{20,})",
        flags=EXACT,
    ),
    SecretPattern(
        "licence key",
        ("licen", "serial", "product", "activation", "key"),
        r"(?<![\w-])(?P<secret>(?=[A-Z0-9-]*\d)(?=[A-Z0-9-]*[A-Z])[A-Z0-9]{5}(?:-[A-Z0-9]{5}){3,5})(?![\w-])",
        flags=EXACT,
    ),
    SecretPattern(
        "seed phrase",
        ("seed", "mnemonic", "recovery"),
        rf"\b(?:seed|mnemonic|recovery)(?:[ _-](?:phrase|words?))?{QUOTE}?\s{{0,3}}(?:[:=]|is|was)?\s{{0,3}}"
        rf"(?:{QUOTE})?(?P<secret>(?:[a-z]{{3,8}}[ ,]{{1,2}}){{11,23}}[a-z]{{3,8}})\b",
    ),
    SecretPattern(
        "card",
        (),  # Source: ISO/IEC 7812-1, section 5 (numbers and check digit)
        r"(?P<secret>\d(?<![\w.,/+-]\d)(?:[ -]?\d){12,18})(?![\w-]|[.,]\d)",
        Test.CARD,
        flags=EXACT,
    ),
)
