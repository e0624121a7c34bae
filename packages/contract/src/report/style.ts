/** How a report looks, on a screen and on paper. */
export const REPORT_STYLE = `
:root{color-scheme:light;--ink:#26221d;--muted:#6b6258;--line:#ddd5c8;--jade:#0a6b4f;--stop:#a3341f;--held:#8a5a00}
*{box-sizing:border-box}
body{font:15px/1.5 system-ui,sans-serif;color:var(--ink);background:#fff;max-width:1040px;margin:0 auto;padding:32px 24px}
h1{font-size:26px;margin:0 0 4px}h2{font-size:17px;margin:28px 0 8px}
p,ul{margin:0 0 8px}li{margin:0 0 6px}.muted,small{color:var(--muted)}
code{font:12.5px/1.4 ui-monospace,"DejaVu Sans Mono",monospace;overflow-wrap:anywhere}
table{border-collapse:collapse;width:100%}th,td{text-align:left;vertical-align:top;padding:5px 10px 5px 0;border-bottom:1px solid var(--line)}
th{color:var(--muted);font-weight:500}.number{text-align:right;font-variant-numeric:tabular-nums}
td:first-child code{white-space:nowrap}
.figures{display:flex;flex-wrap:wrap;gap:12px}.figure{border:1px solid var(--line);border-radius:10px;padding:10px 16px;min-width:130px}
.figure span{display:block;font-size:22px;font-weight:600}
svg{width:100%;height:auto;border-bottom:1px solid var(--line)}
.world{border:0}.world path{fill:#f3eee6;stroke:#fff;stroke-width:.5}.world .some-stopped{stroke:var(--stop);stroke-width:1.4}
.world .shade1{fill:#cfe3da}.world .shade2{fill:#a6cdbd}.world .shade3{fill:#74b09a}.world .shade4{fill:#3d8d73}.world .shade5{fill:var(--jade)}
rect{fill:var(--stop)}rect.allowed{fill:var(--jade)}rect.uncovered{fill:var(--muted)}rect.held,rect.limited,rect.challenged{fill:var(--held)}
b.allowed{color:var(--jade)}b.blocked,b.redirected{color:var(--stop)}b.limited,b.held,b.challenged,b.warning{color:var(--held)}b.note{color:var(--muted)}
.ends{display:flex;justify-content:space-between;gap:12px}
.bar{position:relative;display:block;height:10px;min-width:140px;margin-top:6px;background:#f3eee6;border-radius:5px;overflow:hidden}
.bar i{position:absolute;inset:0 auto 0 0;background:var(--jade)}.bar i.stopped{background:var(--stop)}
.bar i.shaped{top:50%}.bar:has(.shaped) i:first-child{background:var(--muted);bottom:50%}
.alarm{border:2px solid var(--stop);border-radius:10px;padding:4px 16px;margin-top:16px}.alarm h2{color:var(--stop);margin-top:10px}
@media print{body{padding:0;font-size:12px}section{break-inside:avoid-page}tr,li{break-inside:avoid}*{print-color-adjust:exact}}
`;
