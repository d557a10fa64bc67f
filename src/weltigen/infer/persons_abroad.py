"""Words of German, French and Spanish that nobody here knows, and that somebody or a firm is called by their ends: a Kehrer, an
imprimerie."""

from __future__ import annotations

import re

from ..model import Field
from .around import Around
from .naming import folded

_ROOM = range(24, 130)  # characters that a column of names has
_CALLED = {
    "de": re.compile(r"[a-z]{3,}(er|erin|ist|istin|meister|mann|frau)$"),
    "fr": re.compile(r"[a-z]{3,}(eur|euse|ier|iere|trice|iste|ien|ienne)$"),
    "es": re.compile(r"[a-z]{3,}(dor|dora|ero|era|ista)$"),
}
_NOBODY = {
    "de": re.compile(
        r"(messer|zaehler|schalter|filter|haelter|halter|geber|traeger|koerper|regler|rechner|kuehler|heizer|melder|staender|becher|"
        r"hammer|haenger|container|verteiler|stecker|waermer|duenger|speicher|muster|nummer|kammer|alter|fenster|futter|wetter|wasser|"
        r"feuer|steuer|mauer|dauer|eimer|koffer|keller|teller|ordner|drucker|scanner|sender|faser|zucker|puder|leder|feder|bilder|"
        r"felder|raeder|laender|fehler|ueber|unter|hinter|weiter|immer|oder|eher|sommer|winter|theater|register|liter|meter|ziffer)$"
    ),
    "fr": re.compile(
        r"(compteur|moteur|capteur|secteur|facteur|valeur|couleur|hauteur|largeur|longueur|profondeur|epaisseur|vapeur|chaleur|odeur|"
        r"saveur|teneur|ordinateur|indicateur|papier|cahier|dossier|atelier|courrier|chantier|panier|calendrier|quartier|fichier|"
        r"escalier|palier|metier|premier|dernier|entier|liste|piste|moyen|lien|bien|ancien|matiere|maniere|lumiere|riviere|barriere|"
        r"frontiere|matrice|notice|interieur|exterieur|superieur|inferieur|ulterieur|anterieur|minceur|rondeur|erreur|faveur)$"
    ),
    "es": re.compile(
        r"(contador|ordenador|indicador|numero|primero|tercero|enero|febrero|dinero|cartera|carretera|frontera|manera|madera|escalera|"
        r"lista|vista|pista|revista|bandera|primavera|espera|esfera|nevera|cadera|ladera|acero|cuero|cero|tablero|letrero|fichero)$"
    ),
}


_FIRMS = {
    "de": re.compile(r"[a-z]{3,}(erei|elei|kanzlei|spedition|werkstatt|agentur|anstalt|betrieb|verlag|handlung|labor)$"),
    "fr": re.compile(r"[a-z]{3,}(querie|merie|gerie|cerie|lerie|serie|terie|nerie|derie|verie)$"),
    "es": re.compile(r"[a-z]{3,}(teria|deria|ceria|neria|leria|queria|seria)$"),
}
_NO_FIRMS = re.compile(r"(batterie|galerie|loterie|categorie|serie|artillerie|bateria|galeria|materia|averia|loteria|lauferei)$")


def is_firm_abroad(around: Around, field: Field) -> bool:
    """The same of firms: a Druckerei, an imprimerie."""
    return _ends_so(around, field, _FIRMS.get(around.vocabulary.language), _NO_FIRMS)


def is_somebody_abroad(around: Around, field: Field) -> bool:
    """Whether the last word of a name is of the model's own language, unknown, and ends as words for persons do."""
    return _ends_so(around, field, _CALLED.get(around.vocabulary.language), _NOBODY.get(around.vocabulary.language))


def _ends_so(around: Around, field: Field, endings: re.Pattern[str] | None, others: re.Pattern[str] | None) -> bool:
    """Whether the last word of a name is unknown and ends as some do, but not as others."""
    last = folded(field.name).rpartition("_")[2]
    if endings is None or endings.match(last) is None or (field.room is not None and field.room not in _ROOM):
        return False
    unknown = around.words[field.name][-1:] == (last,) and last not in around.vocabulary.known
    return unknown and (others is None or others.search(last) is None)
