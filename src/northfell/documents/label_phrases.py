"""What studies say on labels, in other languages: by phrase, `#` standing for a name or a figure. What is not here stays in English."""

import re
from functools import lru_cache

# English -> German, French, Spanish
_PHRASES = {
    "load side of the main": ("Lastseite des Hauptschalters", "côté charge du disjoncteur principal", "lado de carga del interruptor principal"),
    "line side of the main": ("Netzseite des Hauptschalters", "côté source du disjoncteur principal", "lado de red del interruptor principal"),
    "load side of the mains": ("Lastseite der Hauptschalter", "côté charge des disjoncteurs principaux", "lado de carga de los interruptores principales"),
    "line side of #": ("Netzseite von #", "côté source de #", "lado de red de #"),
    "settings #": ("Einstellungen #", "paramètres #", "ajustes #"),
    "rests on # assumed values": ("beruht auf # angenommenen Werten", "repose sur # valeurs supposées", "se basa en # valores supuestos"),
    "coefficients for # not verified by a published example": (
        "Koeffizienten für # nicht an einem veröffentlichten Beispiel geprüft", "coefficients pour # non vérifiés par un exemple publié",
        "coeficientes para # no verificados con un ejemplo publicado",
    ),
    "worst of #": ("Höchstwert aus #", "pire cas de #", "peor caso de #"),
    "cleared later than # s, which is taken as the exposure": (
        "Abschaltung erst nach # s; diese gelten als Einwirkdauer", "coupé après plus de # s, prises comme exposition",
        "despejado después de # s, tomados como exposición",
    ),
    "generator current taken as constant": (
        "Generatorstrom als konstant angenommen", "courant du générateur pris constant", "corriente del generador tomada como constante",
    ),
    "not three-phase: by the model for three phases, outside the standard": (
        "nicht dreiphasig: mit dem dreiphasigen Modell, außerhalb der Norm", "non triphasé : par le modèle triphasé, hors de la norme",
        "no trifásico: por el modelo trifásico, fuera de la norma",
    ),
    "inverters may go on for a while: not counted": (
        "Wechselrichter können eine Zeit lang weiter speisen: nicht berücksichtigt", "des onduleurs peuvent continuer un moment : non compté",
        "los inversores pueden seguir un tiempo: no se cuenta",
    ),
    "energy summed over the intervals in which sources open": (
        "Energie als Summe der Abschnitte, in denen Quellen abschalten", "énergie sommée sur les intervalles de coupure des sources",
        "energía sumada en los intervalos en que abren las fuentes",
    ),
    "above the range of IEEE 1584-2018, theoretical": (
        "außerhalb des Bereichs von IEEE 1584-2018, theoretisch", "au-delà du domaine de IEEE 1584-2018, théorique",
        "fuera del alcance de IEEE 1584-2018, teórico",
    ),
    "no protective device stands between this place and a source": (
        "zwischen diesem Ort und einer Quelle steht keine Schutzeinrichtung", "aucun dispositif de protection entre ce lieu et une source",
        "ningún dispositivo de protección entre este lugar y una fuente",
    ),
    "# does not operate at the full arcing current of the maximum case": (
        "# löst beim vollen Lichtbogenstrom des größten Falls nicht aus", "# ne déclenche pas au courant d’arc plein du cas maximal",
        "# no actúa con la corriente de arco plena del caso máximo",
    ),
    "# does not operate at the full arcing current of the minimum case": (
        "# löst beim vollen Lichtbogenstrom des kleinsten Falls nicht aus", "# ne déclenche pas au courant d’arc plein du cas minimal",
        "# no actúa con la corriente de arco plena del caso mínimo",
    ),
    "# does not operate at the reduced arcing current of the maximum case": (
        "# löst beim verringerten Lichtbogenstrom des größten Falls nicht aus", "# ne déclenche pas au courant d’arc réduit du cas maximal",
        "# no actúa con la corriente de arco reducida del caso máximo",
    ),
    "# does not operate at the reduced arcing current of the minimum case": (
        "# löst beim verringerten Lichtbogenstrom des kleinsten Falls nicht aus", "# ne déclenche pas au courant d’arc réduit du cas minimal",
        "# no actúa con la corriente de arco reducida del caso mínimo",
    ),
    "# once the currents of generators have fallen": (
        "#, sobald die Generatorströme abgeklungen sind", "#, une fois les courants des générateurs tombés",
        "#, una vez caídas las corrientes de los generadores",
    ),
    "# once other ways have opened": ("#, sobald andere Wege geöffnet haben", "#, une fois d’autres voies ouvertes", "#, una vez abiertos otros caminos"),
    "# without the current of motors": ("#, ohne den Strom der Motoren", "#, sans le courant des moteurs", "#, sin la corriente de los motores"),
    "# is rated to break # kA, a bolted fault here has # kA through it: that it clears is not certain": (
        "# kann # kA ausschalten, ein Kurzschluss hier treibt # kA hindurch: die Abschaltung ist nicht sicher",
        "# peut couper # kA, un court-circuit franc ici y fait passer # kA : la coupure n’est pas certaine",
        "# puede cortar # kA, un cortocircuito franco aquí hace pasar # kA: el despeje no es seguro",
    ),
}  # fmt: skip
_NUMBER = {"Deutsch": 0, "Français": 1, "Español": 2}  # by the name of a language
_TAILS = ("# once the currents of generators have fallen", "# once other ways have opened", "# without the current of motors")


@lru_cache
def _pattern(english: str) -> re.Pattern[str]:
    return re.compile("".join("(.{1,200}?)" if part == "#" else re.escape(part) for part in re.split("(#)", english)))


def said_in(language: str, text: str) -> str:
    """A phrase of a study in a language, as it stands where the language has no words for it."""
    which = _NUMBER.get(language)
    if which is None:
        return text
    for english in _TAILS:
        if text.endswith(english[1:]):
            return _PHRASES[english][which].replace("#", said_in(language, text[: -len(english) + 1]), 1)
    for english, others in _PHRASES.items():
        if english not in _TAILS and (found := _pattern(english).fullmatch(text)):
            given = iter(found.groups())
            return re.sub("#", lambda _, given=given: next(given), others[which])  # type: ignore[misc]
    return text
