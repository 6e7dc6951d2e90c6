"""What a secret is called: the words, and where a name ends. Every other table of masking is made from here."""

import re

from plain_verdict.text.patterns import pattern

# Of what a person types: whatever stands beside such a name is a secret.
TYPED = (
    r"pass(?:word|wd|phrase|code|wort)|passord|pwd|kennwort|mot[ _-]?de[ _-]?passe|contrase(?:ñ|n|\u0303)a|senha"
    r"|palavra[ _-]?passe|wachtwoord|has[łl]o|l[öo]senord|adgangskode|kodeord|salasana|heslo|jelsz[óo]|парол[ья]"
    r"|κωδικός|parol[aă]|lozinka|geslo|лозинка|гасло|şifre|sifre|m[ậa]t kh[ẩa]u|kata sandi|密码|密碼|口令|パスワード|暗証番号"
    r"|비밀번호|암호|كلمة المرور|كلمة السر|סיסמה|סיסמא|पासवर्ड|รหัสผ่าน|(?<=[a-z])Pass|(?<=[_.-])pass|(?:store|key)pass"
)
# Of what a machine makes.
MADE = (
    r"client[ _-]?secret|secret[ _-]?access[ _-]?key|secret[ _-]?key(?:[ _-]base)?|private[ _-]?key|secret|token"
    r"|api[ _-]?key|(?:access|account|auth|subscription|signing|encryption|aes|licen[cs]e|product|serial)[ _-]?key"
    r"|credentials?|session[ _-]?(?:id|key|token)?|signature|otp|pin(?:[ _-]?code)?|clave"
)
ANY_KEY = rf"{TYPED}|{MADE}"

# One of these stands in every text with such a name, in lower case: the fewer texts they stop, the faster.
NEEDLES = (
    *("passw", "passp", "passc", "passord", "pwd", "kennwort", "de passe", "depasse", "de_passe", "de-passe"),
    *("contrase", "senha", "palavra", "wachtwoord", "hasło", "haslo", "lösenord", "losenord", "adgangskode"),
    *(
        "kodeord",
        "salasana",
        "heslo",
        "jelsz",
        "парол",
        "лозинка",
        "гасло",
        "κωδικός",
        "parola",
        "parolă",
        "lozinka",
        "geslo",
    ),
    *(
        "şifre",
        "sifre",
        "mật kh",
        "mat kh",
        "kata sandi",
        "密码",
        "密碼",
        "口令",
        "パスワード",
        "暗証番号",
        "비밀번호",
    ),
    *("암호", "كلمة ال", "סיסמ", "पासवर्ड", "รหัสผ่าน"),
    *("_pass", ".pass", "-pass", "storepass", "keypass", "secret", "token", "private key", "private_key"),
    *("private-key", "privatekey", "credential", "signature", "otp", "session", "pin code", "pin_code", "pincode"),
    *(" pin ", "clave", "_pin"),
    *(
        f"{owner}{sign}key"
        for owner in (
            *("api", "access", "account", "auth", "subscription", "signing", "encryption", "aes"),
            *("license", "licence", "product", "serial"),
        )
        for sign in ("", "_", "-", " ")
    ),
)

_SECRET_KEY = pattern(
    r"(?:.*[._ -])?(?:(?:proxy-)?authorization|(?:set-)?cookie|.*pass(?:word|wd|phrase)|pwd|.*secret|.*token"
    r"|.*api[_-]?key|.*(?:access|private|account)[_-]?key|credential|session[_-]?id|signature|otp|pin[_-]?code)s?",
    re.IGNORECASE,
)


def is_secret_key(key: str) -> bool:
    """Return whether whatever stands under this key is a secret: a fact, a header, a field of a form or of JSON."""
    return _SECRET_KEY.fullmatch(key) is not None
