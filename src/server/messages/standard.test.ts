import { describe, expect, it } from 'vitest';
import { readStandardReport } from './standard';

/** A report in parts, as RFC 6522 wraps them. */
const report = (kind: string, machine: string, about: string, aboutType = 'message/rfc822') =>
  [
    'From: Mail Delivery Subsystem <MAILER-DAEMON@mx.example.org>',
    'To: hello@quillfin.example',
    'Subject: Returned mail',
    'MIME-Version: 1.0',
    `Content-Type: multipart/report; report-type=${kind}; boundary="RAA14128.773615765"`,
    '',
    '--RAA14128.773615765',
    '',
    'For a person to read.',
    '',
    '--RAA14128.773615765',
    `Content-Type: message/${kind}`,
    '',
    machine,
    '',
    '--RAA14128.773615765',
    `Content-Type: ${aboutType}`,
    '',
    about,
    '',
    '--RAA14128.773615765--',
    '',
  ].join('\r\n');
const OURS = 'Message-ID: <send-17@quillfin.example>\r\nFrom: hello@quillfin.example\r\nSubject: Hello\r\n\r\nWords';

describe('a mail that reports of a mail', () => {
  it('as in RFC 3464, appendix E: the fields of its example, the recipient unknown', async () => {
    const machine = [
      'Reporting-MTA: dns; cs.utk.edu',
      '',
      'Original-Recipient: rfc822;louisl@larry.slip.umd.edu',
      'Final-Recipient: rfc822;louisl@larry.slip.umd.edu',
      'Action: failed',
      'Status: 4.0.0',
      'Diagnostic-Code: smtp; 426 connection timed out',
      'Last-Attempt-Date: Thu, 7 Jul 1994 17:15:49 -0400',
    ].join('\r\n');
    expect(await readStandardReport(report('delivery-status', machine, OURS))).toEqual({
      type: 'message.bounced',
      messageId: '<send-17@quillfin.example>',
      class: 'soft',
      reason: '426 connection timed out',
    });
  });

  const status = (action: string, code: string, more = '') =>
    `Reporting-MTA: dns; mx.example.org\r\n\r\nFinal-Recipient: rfc822; robin@example.com\r\nAction: ${action}\r\nStatus: ${code}\r\n${more}`;
  it.each([
    ['failed', '5.1.1', 'hard'],
    ['failed', '5.7.1', 'hard'],
    ['failed', '5.2.2', 'soft'],
    ['failed', '4.4.7', 'soft'],
  ])('%s %s is %s', async (action, code, severity) => {
    expect(await readStandardReport(report('delivery-status', status(action, code), OURS))).toMatchObject({
      type: 'message.bounced',
      class: severity,
    });
  });

  it('one that is delayed or passed on is still on its way; one that is delivered has arrived', async () => {
    for (const action of ['delayed', 'relayed', 'expanded'])
      expect(await readStandardReport(report('delivery-status', status(action, '4.0.0'), OURS))).toBeNull();
    expect(await readStandardReport(report('delivery-status', status('delivered', '2.0.0'), OURS))).toMatchObject({
      type: 'message.delivered',
    });
  });

  it('has the head of what it is about alone, and values that go on in the next line', async () => {
    const machine = status('Failed', '5.1.1 (bad mailbox)', 'Diagnostic-Code: smtp; 550 no such\r\n  mailbox here');
    expect(await readStandardReport(report('delivery-status', machine, OURS.split('\r\n\r\n')[0]!, 'text/rfc822-headers'))).toMatchObject({
      messageId: '<send-17@quillfin.example>',
      class: 'hard',
      reason: '550 no such mailbox here',
    });
  });

  it('as in RFC 5965, appendix B.1: a complaint; one that says "not spam" is none', async () => {
    const feedback = (kind: string) => `Feedback-Type: ${kind}\r\nUser-Agent: SomeGenerator/1.0\r\nVersion: 1`;
    expect(await readStandardReport(report('feedback-report', feedback('abuse'), OURS))).toEqual({
      type: 'message.complained',
      messageId: '<send-17@quillfin.example>',
      reason: 'abuse',
    });
    expect(await readStandardReport(report('feedback-report', feedback('not-spam'), OURS))).toBeNull();
  });

  it('any other mail is no report: an answer, something cut off, something made up', async () => {
    for (const raw of [
      '',
      'Subject: Re: Hello\r\n\r\nThanks!',
      report('delivery-status', 'nothing', OURS),
      report('delivery-status', status('failed', '5.1.1'), 'no head'),
    ])
      expect(await readStandardReport(raw)).toBeNull();
  });
});
