// What lies at a position: an address, a street, the ground. Outside all map data nobody is asked.

import { api, unwrap, type Feature } from '../api/client'
import type { LatLng } from '../chart/camera'
import { position } from './format'
import { client } from './server'

interface Ground {
  regions: { bbox: number[] }[]
}

/** Whether some map data hold a position; yes as long as that is not known. */
function isMapped(p: LatLng): boolean {
  const ground = client.getQueryData<Ground>(['regions'])
  return (
    !ground ||
    ground.regions.some(({ bbox: [west, south, east, north] }) => {
      const inside = west! <= east! ? p.lng >= west! && p.lng <= east! : p.lng >= west! || p.lng <= east!
      return inside && p.lat >= south! && p.lat <= north!
    })
  )
}

export async function whatIsAt(p: LatLng, signal?: AbortSignal): Promise<Feature | null> {
  if (!isMapped(p)) return null
  const query = { at: position(p), limit: 1 }
  return (await unwrap(api.GET('/v1/geocode/reverse', { params: { query }, signal }))).features[0] ?? null
}
