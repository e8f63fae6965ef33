// What the embedded map says, in the languages that it speaks.

const en = {
  map: 'Map',
  places: 'Places on the map',
  position: 'My position',
  larger: 'Larger map',
  close: 'Close',
  noPosition: 'Your position is not known to this page.',
  gone: 'This place is no longer there.',
  unknown: 'This address is not found.',
  noWay: 'There is no way from here to there.',
  refused: 'This map may not be shown here any more.',
  many: 'Too many people are looking at this map just now.',
  away: 'The map cannot be loaded just now.',
}
export type Words = typeof en
const WORDS: Record<string, Words> = {
  en,
  de: {
    map: 'Karte',
    places: 'Orte auf der Karte',
    position: 'Mein Standort',
    larger: 'Größere Karte',
    close: 'Schließen',
    noPosition: 'Ihr Standort ist dieser Seite nicht bekannt.',
    gone: 'Diesen Ort gibt es nicht mehr.',
    unknown: 'Diese Adresse wurde nicht gefunden.',
    noWay: 'Es gibt keinen Weg dorthin.',
    refused: 'Diese Karte darf hier nicht mehr gezeigt werden.',
    many: 'Gerade sehen zu viele Leute diese Karte an.',
    away: 'Die Karte kann gerade nicht geladen werden.',
  },
  fr: {
    map: 'Carte',
    places: 'Lieux sur la carte',
    position: 'Ma position',
    larger: 'Carte plus grande',
    close: 'Fermer',
    noPosition: 'Cette page ne connaît pas votre position.',
    gone: 'Ce lieu n’existe plus.',
    unknown: 'Cette adresse est introuvable.',
    noWay: 'Il n’y a pas de chemin pour y aller.',
    refused: 'Cette carte ne peut plus être montrée ici.',
    many: 'Trop de monde regarde cette carte en ce moment.',
    away: 'La carte ne peut pas être chargée pour l’instant.',
  },
  es: {
    map: 'Mapa',
    places: 'Lugares en el mapa',
    position: 'Mi posición',
    larger: 'Mapa más grande',
    close: 'Cerrar',
    noPosition: 'Esta página no conoce su posición.',
    gone: 'Este lugar ya no existe.',
    unknown: 'No se encuentra esta dirección.',
    noWay: 'No hay camino hasta allí.',
    refused: 'Este mapa ya no se puede mostrar aquí.',
    many: 'Demasiada gente mira este mapa ahora.',
    away: 'El mapa no se puede cargar ahora.',
  },
  it: {
    map: 'Mappa',
    places: 'Luoghi sulla mappa',
    position: 'La mia posizione',
    larger: 'Mappa più grande',
    close: 'Chiudi',
    noPosition: 'Questa pagina non conosce la tua posizione.',
    gone: 'Questo luogo non c’è più.',
    unknown: 'Questo indirizzo non si trova.',
    noWay: 'Non c’è una via per arrivarci.',
    refused: 'Questa mappa non può più essere mostrata qui.',
    many: 'Troppe persone guardano questa mappa adesso.',
    away: 'La mappa non si può caricare adesso.',
  },
}
export const LANGUAGES = Object.keys(WORDS)

/** The words of a language, or of the first that the browser prefers and that is spoken here. */
export function wordsOf(language: string | null): [string, Words] {
  const wanted = [language, ...navigator.languages].map((l) => (l ?? '').slice(0, 2))
  const found = wanted.find((l) => l in WORDS) ?? 'en'
  return [found, WORDS[found]!]
}
