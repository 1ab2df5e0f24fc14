import { ACC001 } from './rules/ACC-001.ts';
import { ACC002 } from './rules/ACC-002.ts';
import { ACC003 } from './rules/ACC-003.ts';
import { ACC004 } from './rules/ACC-004.ts';
import { ACC005 } from './rules/ACC-005.ts';
import { ACC006 } from './rules/ACC-006.ts';
import { STO031 } from './rules/STO-031.ts';
import { STO032 } from './rules/STO-032.ts';
import { STO033 } from './rules/STO-033.ts';
import { STO034 } from './rules/STO-034.ts';
import { STO035 } from './rules/STO-035.ts';
import { STO036 } from './rules/STO-036.ts';
import { STO037 } from './rules/STO-037.ts';
import { STO012 } from './rules/STO-012.ts';
import { STO013 } from './rules/STO-013.ts';
import { STO014 } from './rules/STO-014.ts';
import { STO015 } from './rules/STO-015.ts';
import { STO016 } from './rules/STO-016.ts';
import { STO017 } from './rules/STO-017.ts';
import { STO018 } from './rules/STO-018.ts';
import { STO019 } from './rules/STO-019.ts';
import { STO020 } from './rules/STO-020.ts';
import { STO021 } from './rules/STO-021.ts';
import { STO022 } from './rules/STO-022.ts';
import { STO023 } from './rules/STO-023.ts';
import { STO024 } from './rules/STO-024.ts';
import { STO025 } from './rules/STO-025.ts';
import { STO026 } from './rules/STO-026.ts';
import { STO027 } from './rules/STO-027.ts';
import { STO028 } from './rules/STO-028.ts';
import { STO029 } from './rules/STO-029.ts';
import { STO030 } from './rules/STO-030.ts';
import { STO007 } from './rules/STO-007.ts';
import { STO008 } from './rules/STO-008.ts';
import { STO009 } from './rules/STO-009.ts';
import { STO010 } from './rules/STO-010.ts';
import { STO011 } from './rules/STO-011.ts';
import { CHT046 } from './rules/CHT-046.ts';
import { CHT047 } from './rules/CHT-047.ts';
import { CHT048 } from './rules/CHT-048.ts';
import { CHT049 } from './rules/CHT-049.ts';
import { CHT051 } from './rules/CHT-051.ts';
import { CHT050 } from './rules/CHT-050.ts';
import { SVC015 } from './rules/SVC-015.ts';
import { SVC014 } from './rules/SVC-014.ts';
import { SVC013 } from './rules/SVC-013.ts';
import { SVC012 } from './rules/SVC-012.ts';
import { SVC011 } from './rules/SVC-011.ts';
import { NET024 } from './rules/NET-024.ts';
import { NET025 } from './rules/NET-025.ts';
import { NET026 } from './rules/NET-026.ts';
import { NET027 } from './rules/NET-027.ts';
import { NET028 } from './rules/NET-028.ts';
import { NET029 } from './rules/NET-029.ts';
import { NET030 } from './rules/NET-030.ts';
import { NET031 } from './rules/NET-031.ts';
import { NET032 } from './rules/NET-032.ts';
import { NET033 } from './rules/NET-033.ts';
import { NET034 } from './rules/NET-034.ts';
import { NET035 } from './rules/NET-035.ts';
import { NET036 } from './rules/NET-036.ts';
import { NET037 } from './rules/NET-037.ts';
import { NET038 } from './rules/NET-038.ts';
import { NET039 } from './rules/NET-039.ts';
import { NET040 } from './rules/NET-040.ts';
import { NET041 } from './rules/NET-041.ts';
import { NET042 } from './rules/NET-042.ts';
import { NET043 } from './rules/NET-043.ts';
import { NET044 } from './rules/NET-044.ts';
import { NET045 } from './rules/NET-045.ts';
import { NET046 } from './rules/NET-046.ts';
import { NET047 } from './rules/NET-047.ts';
import { NET048 } from './rules/NET-048.ts';
import { NET049 } from './rules/NET-049.ts';
import { NET050 } from './rules/NET-050.ts';
import { SVC001 } from './rules/SVC-001.ts';
import { SVC002 } from './rules/SVC-002.ts';
import { SVC003 } from './rules/SVC-003.ts';
import { SVC004 } from './rules/SVC-004.ts';
import { SVC005 } from './rules/SVC-005.ts';
import { SVC006 } from './rules/SVC-006.ts';
import { SVC007 } from './rules/SVC-007.ts';
import { SVC008 } from './rules/SVC-008.ts';
import { SVC009 } from './rules/SVC-009.ts';
import { SVC010 } from './rules/SVC-010.ts';
import { CHT042 } from './rules/CHT-042.ts';
import { CHT043 } from './rules/CHT-043.ts';
import { CHT044 } from './rules/CHT-044.ts';
import { CHT045 } from './rules/CHT-045.ts';
import { IMG021 } from './rules/IMG-021.ts';
import { CHT041 } from './rules/CHT-041.ts';
import { CHT040 } from './rules/CHT-040.ts';
import { TPL004 } from './rules/TPL-004.ts';
import { TPL003 } from './rules/TPL-003.ts';
import { TPL002 } from './rules/TPL-002.ts';
import { TPL001 } from './rules/TPL-001.ts';
import { IMG020 } from './rules/IMG-020.ts';
import { IMG019 } from './rules/IMG-019.ts';
import { KEY004 } from './rules/KEY-004.ts';
import { STO006 } from './rules/STO-006.ts';
import { STO005 } from './rules/STO-005.ts';
import { STO004 } from './rules/STO-004.ts';
import { STO003 } from './rules/STO-003.ts';
import { STO002 } from './rules/STO-002.ts';
import { STO001 } from './rules/STO-001.ts';
import { CHT039 } from './rules/CHT-039.ts';
import { CHT038 } from './rules/CHT-038.ts';
import { CHT037 } from './rules/CHT-037.ts';
import { CHT036 } from './rules/CHT-036.ts';
import { CHT035 } from './rules/CHT-035.ts';
import { CHT034 } from './rules/CHT-034.ts';
import { CHT033 } from './rules/CHT-033.ts';
import { CHT032 } from './rules/CHT-032.ts';
import { CHT031 } from './rules/CHT-031.ts';
import { CHT030 } from './rules/CHT-030.ts';
import { CHT029 } from './rules/CHT-029.ts';
import { CHT028 } from './rules/CHT-028.ts';
import { CHT027 } from './rules/CHT-027.ts';
import { CHT026 } from './rules/CHT-026.ts';
import { ADR001 } from './rules/ADR-001.ts';
import { ADR002 } from './rules/ADR-002.ts';
import { ADR003 } from './rules/ADR-003.ts';
import { ADR004 } from './rules/ADR-004.ts';
import { ADR005 } from './rules/ADR-005.ts';
import { ADR006 } from './rules/ADR-006.ts';
import { ADR007 } from './rules/ADR-007.ts';
import { ADR008 } from './rules/ADR-008.ts';
import { ADR009 } from './rules/ADR-009.ts';
import { ADR010 } from './rules/ADR-010.ts';
import { ADR011 } from './rules/ADR-011.ts';
import { ADR012 } from './rules/ADR-012.ts';
import { ADR013 } from './rules/ADR-013.ts';
import { ADR014 } from './rules/ADR-014.ts';
import { ADR015 } from './rules/ADR-015.ts';
import { ADR016 } from './rules/ADR-016.ts';
import { ADR017 } from './rules/ADR-017.ts';
import { CHT001 } from './rules/CHT-001.ts';
import { CHT002 } from './rules/CHT-002.ts';
import { CHT003 } from './rules/CHT-003.ts';
import { CHT004 } from './rules/CHT-004.ts';
import { CHT005 } from './rules/CHT-005.ts';
import { CHT006 } from './rules/CHT-006.ts';
import { CHT007 } from './rules/CHT-007.ts';
import { CHT008 } from './rules/CHT-008.ts';
import { CHT009 } from './rules/CHT-009.ts';
import { CHT010 } from './rules/CHT-010.ts';
import { CHT011 } from './rules/CHT-011.ts';
import { CHT012 } from './rules/CHT-012.ts';
import { CHT013 } from './rules/CHT-013.ts';
import { CHT014 } from './rules/CHT-014.ts';
import { CHT015 } from './rules/CHT-015.ts';
import { CHT016 } from './rules/CHT-016.ts';
import { CHT017 } from './rules/CHT-017.ts';
import { CHT018 } from './rules/CHT-018.ts';
import { CHT019 } from './rules/CHT-019.ts';
import { CHT020 } from './rules/CHT-020.ts';
import { CHT021 } from './rules/CHT-021.ts';
import { CHT022 } from './rules/CHT-022.ts';
import { CHT023 } from './rules/CHT-023.ts';
import { CHT024 } from './rules/CHT-024.ts';
import { CHT025 } from './rules/CHT-025.ts';
import { DNS001 } from './rules/DNS-001.ts';
import { DNS002 } from './rules/DNS-002.ts';
import { DNS003 } from './rules/DNS-003.ts';
import { DNS004 } from './rules/DNS-004.ts';
import { DNS005 } from './rules/DNS-005.ts';
import { DNS006 } from './rules/DNS-006.ts';
import { DNS007 } from './rules/DNS-007.ts';
import { DNS008 } from './rules/DNS-008.ts';
import { DNS009 } from './rules/DNS-009.ts';
import { DNS010 } from './rules/DNS-010.ts';
import { DNS011 } from './rules/DNS-011.ts';
import { DNS012 } from './rules/DNS-012.ts';
import { DNS013 } from './rules/DNS-013.ts';
import { DNS014 } from './rules/DNS-014.ts';
import { HST001 } from './rules/HST-001.ts';
import { HST002 } from './rules/HST-002.ts';
import { HST003 } from './rules/HST-003.ts';
import { HST004 } from './rules/HST-004.ts';
import { HST005 } from './rules/HST-005.ts';
import { HST006 } from './rules/HST-006.ts';
import { HST007 } from './rules/HST-007.ts';
import { HST008 } from './rules/HST-008.ts';
import { HST009 } from './rules/HST-009.ts';
import { HST010 } from './rules/HST-010.ts';
import { HST011 } from './rules/HST-011.ts';
import { HST012 } from './rules/HST-012.ts';
import { HST013 } from './rules/HST-013.ts';
import { HST014 } from './rules/HST-014.ts';
import { HST015 } from './rules/HST-015.ts';
import { HST016 } from './rules/HST-016.ts';
import { HST017 } from './rules/HST-017.ts';
import { HST018 } from './rules/HST-018.ts';
import { HST019 } from './rules/HST-019.ts';
import { HST020 } from './rules/HST-020.ts';
import { HST021 } from './rules/HST-021.ts';
import { HST022 } from './rules/HST-022.ts';
import { HST023 } from './rules/HST-023.ts';
import { IMG001 } from './rules/IMG-001.ts';
import { IMG002 } from './rules/IMG-002.ts';
import { IMG003 } from './rules/IMG-003.ts';
import { IMG004 } from './rules/IMG-004.ts';
import { IMG005 } from './rules/IMG-005.ts';
import { IMG006 } from './rules/IMG-006.ts';
import { IMG007 } from './rules/IMG-007.ts';
import { IMG008 } from './rules/IMG-008.ts';
import { IMG009 } from './rules/IMG-009.ts';
import { IMG010 } from './rules/IMG-010.ts';
import { IMG011 } from './rules/IMG-011.ts';
import { IMG012 } from './rules/IMG-012.ts';
import { IMG013 } from './rules/IMG-013.ts';
import { IMG014 } from './rules/IMG-014.ts';
import { IMG015 } from './rules/IMG-015.ts';
import { IMG016 } from './rules/IMG-016.ts';
import { IMG017 } from './rules/IMG-017.ts';
import { IMG018 } from './rules/IMG-018.ts';
import { KEY001 } from './rules/KEY-001.ts';
import { KEY002 } from './rules/KEY-002.ts';
import { KEY003 } from './rules/KEY-003.ts';
import { NET001 } from './rules/NET-001.ts';
import { NET002 } from './rules/NET-002.ts';
import { NET003 } from './rules/NET-003.ts';
import { NET004 } from './rules/NET-004.ts';
import { NET005 } from './rules/NET-005.ts';
import { NET006 } from './rules/NET-006.ts';
import { NET007 } from './rules/NET-007.ts';
import { NET008 } from './rules/NET-008.ts';
import { NET009 } from './rules/NET-009.ts';
import { NET010 } from './rules/NET-010.ts';
import { NET011 } from './rules/NET-011.ts';
import { NET012 } from './rules/NET-012.ts';
import { NET013 } from './rules/NET-013.ts';
import { NET014 } from './rules/NET-014.ts';
import { NET015 } from './rules/NET-015.ts';
import { NET016 } from './rules/NET-016.ts';
import { NET017 } from './rules/NET-017.ts';
import { NET018 } from './rules/NET-018.ts';
import { NET019 } from './rules/NET-019.ts';
import { NET020 } from './rules/NET-020.ts';
import { NET021 } from './rules/NET-021.ts';
import { NET022 } from './rules/NET-022.ts';
import { NET023 } from './rules/NET-023.ts';
import type { Check } from './check.ts';

/** Every check there is, by code. A new one is a file and a line; a code is never used again. */
export const catalogue: readonly Check[] = [
  ADR001,
  ADR002,
  ADR003,
  ADR004,
  ADR005,
  ADR006,
  ADR007,
  ADR008,
  ADR009,
  ADR010,
  ADR011,
  ADR012,
  ADR013,
  ADR014,
  ADR015,
  ADR016,
  ADR017,
  CHT001,
  CHT002,
  CHT003,
  CHT004,
  CHT005,
  CHT006,
  CHT007,
  CHT008,
  CHT009,
  CHT010,
  CHT011,
  CHT012,
  CHT013,
  CHT014,
  CHT015,
  CHT016,
  CHT017,
  CHT018,
  CHT019,
  CHT020,
  CHT021,
  CHT022,
  CHT023,
  CHT024,
  CHT025,
  CHT026,
  CHT027,
  CHT028,
  CHT029,
  CHT030,
  CHT031,
  CHT032,
  CHT033,
  CHT034,
  CHT035,
  CHT036,
  CHT037,
  CHT038,
  CHT039,
  CHT040,
  CHT041,
  CHT042,
  CHT043,
  CHT044,
  CHT045,
  CHT046,
  CHT047,
  CHT048,
  CHT049,
  CHT050,
  CHT051,
  DNS001,
  DNS002,
  DNS003,
  DNS004,
  DNS005,
  DNS006,
  DNS007,
  DNS008,
  DNS009,
  DNS010,
  DNS011,
  DNS012,
  DNS013,
  DNS014,
  HST001,
  HST002,
  HST003,
  HST004,
  HST005,
  HST006,
  HST007,
  HST008,
  HST009,
  HST010,
  HST011,
  HST012,
  HST013,
  HST014,
  HST015,
  HST016,
  HST017,
  HST018,
  HST019,
  HST020,
  HST021,
  HST022,
  HST023,
  IMG001,
  IMG002,
  IMG003,
  IMG004,
  IMG005,
  IMG006,
  IMG007,
  IMG008,
  IMG009,
  IMG010,
  IMG011,
  IMG012,
  IMG013,
  IMG014,
  IMG015,
  IMG016,
  IMG017,
  IMG018,
  IMG019,
  IMG020,
  IMG021,
  KEY001,
  KEY002,
  KEY003,
  KEY004,
  NET001,
  NET002,
  NET003,
  NET004,
  NET005,
  NET006,
  NET007,
  NET008,
  NET009,
  NET010,
  NET011,
  NET012,
  NET013,
  NET014,
  NET015,
  NET016,
  NET017,
  NET018,
  NET019,
  NET020,
  NET021,
  NET022,
  NET023,
  NET024,
  NET025,
  NET026,
  NET027,
  NET028,
  NET029,
  NET030,
  NET031,
  NET032,
  NET033,
  NET034,
  NET035,
  NET036,
  NET037,
  NET038,
  NET039,
  NET040,
  NET041,
  NET042,
  NET043,
  NET044,
  NET045,
  NET046,
  NET047,
  NET048,
  NET049,
  NET050,
  SVC001,
  SVC002,
  SVC003,
  SVC004,
  SVC005,
  SVC006,
  SVC007,
  SVC008,
  SVC009,
  SVC010,
  SVC011,
  SVC012,
  SVC013,
  SVC014,
  SVC015,
  STO001,
  STO002,
  STO003,
  STO004,
  STO005,
  STO006,
  STO007,
  STO008,
  STO009,
  STO010,
  STO011,
  STO012,
  STO013,
  STO014,
  STO015,
  STO016,
  STO017,
  STO018,
  STO019,
  STO020,
  STO021,
  STO022,
  STO023,
  STO024,
  STO025,
  STO026,
  STO027,
  STO028,
  STO029,
  STO030,
  STO031,
  STO032,
  STO033,
  STO034,
  STO035,
  STO036,
  STO037,
  ACC001,
  ACC002,
  ACC003,
  ACC004,
  ACC005,
  ACC006,
  TPL001,
  TPL002,
  TPL003,
  TPL004,
];
