/** Clearances that others have written down, with where they come from. */
export interface Threshold {
  name: string
  source: string
  required_mm: number
  tight_below_mm: number
}

const GAPS = 'ISO 13854, least gaps against crushing, from memory'
const PRACTICE = 'common practice'
const gap = (name: string, mm: number): Threshold => ({
  name,
  source: GAPS,
  required_mm: mm,
  tight_below_mm: mm * 1.2,
})
const practice = (name: string, required_mm: number, tight_below_mm: number): Threshold => ({
  name,
  source: PRACTICE,
  required_mm,
  tight_below_mm,
})

export const thresholds: Threshold[] = [
  practice('Tool to fixture', 5, 10),
  practice('Robot to anything', 10, 20),
  practice('Robot to structure', 50, 80),
  practice('Robot to robot', 100, 150),
  gap('Finger', 25),
  gap('Hand, wrist, fist', 100),
  gap('Arm', 120),
  gap('Head', 300),
  gap('Body', 500),
]
