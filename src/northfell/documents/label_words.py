"""The fixed words of labels, by language. What studies say stands in `label_phrases`; names stand as they are."""

from collections.abc import Mapping
from dataclasses import dataclass

EDITABLE = {"hazard": "Hazard", "do_not_work": "Above the site limit", "protective": "At or below it", "procedure": "Procedure"}  # by a project


@dataclass(frozen=True)
class Words:
    """What labels say in a language; `{limit}` stands for the site limit."""

    name: str
    danger: str
    warning: str
    hazard: str
    energy_at: str
    do_not_work: str
    protective: str
    procedure: str
    boundary: str
    voltage: str
    limited: str
    restricted: str
    glove: str
    arc_rating: str
    avoid_contact: str
    governed: str
    bolted: str
    arcing: str
    device: str
    clears: str
    configuration: str
    gap: str


LANGUAGES = {
    "en": Words(
        "English", "DANGER", "WARNING", "Arc flash and shock hazard", "incident energy at {distance}",
        "Do not work on live parts: above the site limit of {limit}.", "Appropriate personal protective equipment required.",
        "Arc flash and shock hazard. Work on or near live parts only by the written procedure for this equipment. Make dead, prove dead, earth.",
        "Arc-flash boundary", "Nominal voltage", "Limited approach", "Restricted approach", "Glove class", "Arc rating at least", "avoid contact",
        "governed by state {state}", "Bolted fault", "Arcing current", "Cleared by", "Exposure", "Electrodes", "Gap",
    ),
    "de": Words(
        "Deutsch", "GEFAHR", "WARNUNG", "Störlichtbogen und elektrischer Schlag", "Lichtbogenenergie bei {distance}",
        "Keine Arbeiten unter Spannung: über dem Grenzwert der Anlage von {limit}.", "Geeignete persönliche Schutzausrüstung erforderlich.",
        "Gefahr durch Störlichtbogen und elektrischen Schlag. Arbeiten an oder nahe spannungführenden Teilen nur nach der schriftlichen Anweisung für diese "
        "Anlage. Freischalten, Spannungsfreiheit feststellen, erden.",
        "Lichtbogengrenze", "Nennspannung", "Annäherungsgrenze", "Gefahrengrenze", "Handschuhklasse", "Lichtbogenschutz mindestens", "nicht berühren",
        "maßgebend Zustand {state}", "Kurzschlussstrom", "Lichtbogenstrom", "Abschaltung durch", "Einwirkdauer", "Elektroden", "Abstand",
    ),
    "fr": Words(
        "Français", "DANGER", "AVERTISSEMENT", "Arc électrique et choc électrique", "énergie incidente à {distance}",
        "Ne pas travailler sous tension : au-dessus de la limite du site de {limit}.", "Équipement de protection individuelle approprié exigé.",
        "Danger d’arc et de choc électriques. Travaux sur ou près de pièces sous tension uniquement selon la procédure écrite de cet équipement. Consigner, "
        "vérifier l’absence de tension, mettre à la terre.",
        "Limite d’arc électrique", "Tension nominale", "Limite d’approche", "Limite restreinte", "Classe des gants", "Protection à l’arc au moins",
        "éviter le contact", "déterminé par l’état {state}", "Court-circuit franc", "Courant d’arc", "Coupé par", "Exposition", "Électrodes", "Écartement",
    ),
    "es": Words(
        "Español", "PELIGRO", "ADVERTENCIA", "Arco eléctrico y choque eléctrico", "energía incidente a {distance}",
        "No trabajar con tensión: por encima del límite de la planta de {limit}.", "Se requiere equipo de protección personal adecuado.",
        "Peligro de arco y choque eléctricos. Trabajos en partes con tensión o cerca de ellas solo según el procedimiento escrito de este equipo. Desconectar, "
        "comprobar la ausencia de tensión, poner a tierra.",
        "Límite de arco eléctrico", "Tensión nominal", "Acercamiento limitado", "Acercamiento restringido", "Clase de guantes", "Protección al arco mínima",
        "evitar el contacto", "determinado por el estado {state}", "Cortocircuito franco", "Corriente de arco", "Despejado por", "Exposición", "Electrodos",
        "Separación",
    ),
}  # fmt: skip
ENGLISH = LANGUAGES["en"]


def with_own(words: Words, own: Mapping[str, str]) -> Words:
    """Words with what a project says otherwise."""
    return Words(**{**vars(words), **{k: v for k, v in own.items() if k in EDITABLE and v}})
