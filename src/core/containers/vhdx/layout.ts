/** Offsets, signatures and identifiers of a VHDX file. Source: [MS-VHDX] sections 2.1 to 2.6 (written from memory, checked against qemu-img). */
export const KIB = 1024
export const MIB = 1024 * KIB

export const FILE_SIGNATURE = 'vhdxfile'
export const HEADER_OFFSETS = [64 * KIB, 128 * KIB] as const
export const HEADER_BYTES = 4 * KIB
export const REGION_OFFSETS = [192 * KIB, 256 * KIB] as const
export const TABLE_BYTES = 64 * KIB

export const REGION = { bat: '2DC27766-F623-4200-9D64-115E9BFD4A08', metadata: '8B7CA206-4790-4B9A-B8FE-575F050F886E' } as const
export const ITEM = {
  fileParameters: 'CAA16737-FA36-4D43-B3B6-33F0AA44E76B',
  virtualDiskSize: '2FA54224-CD1B-4876-B211-5DBED83BF4B8',
  diskId: 'BECA12AB-B2E6-4523-93EF-C309E000C746',
  logicalSectorSize: '8141BF1D-A96F-4709-BA47-F233A8FAAB5F',
  physicalSectorSize: 'CDA348C7-445D-4471-9CC9-E9885251C556',
  parentLocator: 'A8D35F2D-B30B-454D-ABF7-D3D84834AB0C',
} as const

/** An entry of the log is a whole number of these ([MS-VHDX] 2.3). */
export const LOG_SECTOR_BYTES = 4 * KIB

/** States of a payload block ([MS-VHDX] 2.5.1.1). */
export const BLOCK = { notPresent: 0, undefined: 1, zero: 2, unmapped: 3, present: 6, partial: 7 } as const

export const NO_GUID = '00000000-0000-0000-0000-000000000000'

/** Payload blocks between two sector bitmap blocks. */
export function chunkRatio(blockBytes: number, sectorBytes: number): number {
  return (2 ** 23 * sectorBytes) / blockBytes
}

/** Entries in the table of a fixed or dynamic file: payload blocks with a sector bitmap entry after each chunk. */
export function batEntries(blocks: number, ratio: number, hasParent: boolean): number {
  return hasParent ? Math.ceil(blocks / ratio) * (ratio + 1) : blocks + Math.floor((blocks - 1) / ratio)
}

/** Where the entry of a payload block stands in the table. */
export const batIndex = (block: number, ratio: number): number => block + Math.floor(block / ratio)
