/** Where Larkmoor's people go. The last of the sites sounds northern and is hosted elsewhere. */
export const HOST_ADDRESSES: Readonly<Record<string, string>> = {
  'www.daily-lark.example': '198.18.36.10',
  'weather.skerry.example': '198.18.37.20',
  'maps.wayfare.example': '198.18.66.30',
  'video.gallerytube.example': '198.18.97.40',
  'music.quaver.example': '198.18.129.50',
  'shop.fjordwear.example': '198.18.38.60',
  'chat.pigeonpost.example': '198.18.146.70',
  'meet.roundtable.example': '198.18.147.80',
  'pictures.openarchive.example': '198.18.161.90',
  'login.openarchive.example': '198.18.161.91',
  'vault.offsite-copy.example': '198.18.177.100',
  'play.blockfall.example': '198.19.0.110',
  'arena.cardtable.example': '198.19.1.120',
  'archive.nordic-prints.example': '198.19.145.7',
};
export const SITES = [
  'www.daily-lark.example',
  'weather.skerry.example',
  'maps.wayfare.example',
  'video.gallerytube.example',
  'music.quaver.example',
  'shop.fjordwear.example',
];
export const APPS = [
  'chat.pigeonpost.example',
  'meet.roundtable.example',
  'pictures.openarchive.example',
  'login.openarchive.example',
];
export const GAMES = ['play.blockfall.example', 'arena.cardtable.example'];
