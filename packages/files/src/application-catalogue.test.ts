import { describe, expect, it } from 'vitest';
import { readApplicationCatalogue } from './application-catalogue.js';

describe('a catalogue of applications in YAML', () => {
  it('becomes fence text', () =>
    expect(
      readApplicationCatalogue(`applications:
  - name: picture-archive
    title: Picture "archive"
    category: reference
    risk: low
    ports: [tcp/443, tcp/8443]
    needs: [archive-sign-in]
    over: tls
    signatures:
      - host = pictures.openarchive.example
      - payload starts hex "16 03"
`),
    ).toEqual({
      problems: [],
      text: `application picture-archive "Picture \\"archive\\"" {
  category reference
  risk low
  ports tcp/443, tcp/8443
  needs archive-sign-in
  over tls
  signature when host = pictures.openarchive.example
  signature when payload starts hex "16 03"
}
`,
    }));

  it.each([
    [
      'a: [',
      'it is no YAML: Flow sequence in block collection must be sufficiently indented and end with a ] at line 1, column 5:',
    ],
    ['- x', 'expected the key "applications" with a list of them'],
    ['applications:\n  - title: x', 'application 1: expected the key "name" with a text'],
    [
      'applications:\n  - name: a\n    port: 4',
      'application 1 (a): no key is named "port"; expected category, risk, ports, needs, over, signatures',
    ],
    ['applications:\n  - name: a\n    ports: 443', 'application 1 (a): the key "ports" is 443, expected text'],
    [
      'applications:\n  - name: a\n    signatures: [host = ]',
      'application 1 (a): Found "}", expected a domain or list of domains.',
    ],
  ])('reports what is wrong with %j', (yaml, problem) =>
    expect(readApplicationCatalogue(yaml).problems[0]).toContain(problem.slice(0, 60)),
  );
});
