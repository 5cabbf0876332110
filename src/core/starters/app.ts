import { CAN_BE_EMAILED, flow, letter, wait, type Starter } from './parts';

/** Flows around forms, apps and lists. */
export const APP: readonly Starter[] = [
  {
    key: 'form-reply',
    name: 'Reply to a form',
    says: 'Who fills in a form gets what was promised at once. Three days later they are asked whether it helped.',
    needs: ['form.submitted'],
    document: flow('Reply to a form', {
      triggers: [{ id: 'start', kind: 'event', event: 'form.submitted', key: null }],
      entry: CAN_BE_EMAILED,
      stay: null,
      reentry: { after: 'P1D' },
      goal: { event: 'order.placed', within: 'P14D', ends: true },
      steps: [
        letter(
          'as-promised',
          'As promised',
          'Here is what you asked for',
          'As promised',
          'Thank you for asking. What we promised stands below; put it there before you publish this flow.',
        ),
        wait('three-days', 'P3D'),
        letter(
          'did-it-help',
          'Did it help',
          'Did it help?',
          'One line is enough',
          'A few days ago you asked us for something. Did it answer your question? If not, write back: one line is ' + 'enough.',
        ),
      ],
      checks: [
        {
          name: 'A form is answered, then asked about',
          events: [{ type: 'form.submitted', after: 'PT1M', data: { form: 'any' } }],
          expects: { sends: ['as-promised', 'did-it-help'] },
        },
      ],
    }),
  },
  {
    key: 'getting-started',
    name: 'Getting started',
    says:
      'Who opens an account is helped through the first step, and only as long as they have not done it: who ' +
      'does it goes on to the next at once. Who is stuck after a week becomes a task for a colleague.',
    needs: ['account.created', 'app.project_created', 'app.invited'],
    document: flow('Getting started', {
      triggers: [{ id: 'start', kind: 'event', event: 'account.created', key: null }],
      entry: CAN_BE_EMAILED,
      stay: null,
      reentry: 'once',
      goal: { event: 'app.invited', within: 'P30D', ends: true },
      steps: [
        letter(
          'first-step',
          'First step',
          'Your first step takes two minutes',
          'Begin with one project',
          'Your account is ready. Begin with one project: it takes two minutes, and everything else follows from it.',
        ),
        {
          id: 'until-project',
          kind: 'wait',
          for: 'P2D',
          until: { event: 'app.project_created' },
          arms: [
            {
              id: 'project-made',
              name: 'Made a project',
              when: null,
              steps: [
                letter(
                  'invite',
                  'Invite somebody',
                  'Now invite somebody',
                  'It is made for two',
                  'Your first project stands. It is at its best when somebody else looks at it: invite a colleague.',
                ),
              ],
            },
            {
              id: 'no-project',
              name: 'Not yet',
              when: null,
              steps: [
                letter(
                  'need-a-hand',
                  'Need a hand',
                  'Can we help you begin?',
                  'Answer this letter',
                  'It looks as if you have not made a project yet. What stands in the way? Answer this letter, and we help ' +
                    'you with it.',
                ),
                {
                  id: 'still-nothing',
                  kind: 'wait',
                  for: 'P5D',
                  until: { event: 'app.project_created' },
                  arms: [
                    { id: 'now-made', name: 'Made one now', when: null, steps: [] },
                    {
                      id: 'stuck',
                      name: 'Is stuck',
                      when: null,
                      steps: [
                        {
                          id: 'call-them',
                          kind: 'task',
                          name: 'Help them begin',
                          text: '{{ person.email }} opened an account a week ago and has made no project. Ask what stands in the way.',
                          owner: { to: '' },
                          within: 'P3D',
                        },
                      ],
                    },
                  ],
                },
              ],
            },
          ],
        },
      ],
      checks: [
        {
          name: 'Who makes a project is asked to invite',
          events: [
            { type: 'account.created', after: 'PT1M', data: {} },
            { type: 'app.project_created', after: 'PT3H', data: {} },
          ],
          expects: { sends: ['first-step', 'invite'] },
        },
        {
          name: 'Who does nothing is helped',
          events: [{ type: 'account.created', after: 'PT1M', data: {} }],
          expects: { sends: ['first-step', 'need-a-hand'], goal: false },
        },
      ],
    }),
  },
  {
    key: 'trial-to-paid',
    name: 'Trial to paid',
    says:
      'Three days before a trial ends, and on its last day, its owner is told what it would leave behind. Who ' +
      'subscribes hears nothing more of it.',
    needs: ['app.trial_started', 'app.subscribed'],
    document: flow('Trial to paid', {
      triggers: [{ id: 'start', kind: 'event', event: 'app.trial_started', key: null }],
      entry: CAN_BE_EMAILED,
      stay: { test: 'didNot', event: 'app.subscribed', since: 'entry' },
      reentry: 'once',
      goal: { event: 'app.subscribed', within: 'P60D', ends: true },
      steps: [
        { id: 'before-the-end', kind: 'wait', date: { of: 'start', name: 'trialEnds', days: -3, at: '10:00' } },
        letter(
          'three-days-left',
          'Three days left',
          'Three days are left of your trial',
          'What you would keep',
          'Your trial ends in three days. What you have made stays yours; to go on working with it, choose a plan.',
        ),
        { id: 'the-last-day', kind: 'wait', date: { of: 'start', name: 'trialEnds', days: 0, at: '10:00' } },
        letter(
          'last-day',
          'Last day',
          'Today is the last day of your trial',
          'One decision',
          'Your trial ends today. If it is not for you, there is nothing to do. If you want to go on, it takes a minute.',
        ),
      ],
      checks: [
        {
          name: 'Who subscribes after the first letter gets no second',
          events: [
            { type: 'app.trial_started', after: 'PT1M', data: { trialEnds: '2099-01-20' } },
            { type: 'app.subscribed', after: 'P1D', data: {} },
          ],
          expects: { sends: [], goal: true },
        },
      ],
    }),
  },
  {
    key: 'best-customers',
    name: 'Best customers',
    says:
      'When somebody’s points pass a mark, they are told that they are among the best customers, and who looks ' +
      'after them. Change the attribute and the mark in the trigger.',
    needs: [],
    document: flow('Best customers', {
      triggers: [
        {
          id: 'start',
          kind: 'change',
          event: 'attribute.changed',
          key: null,
          name: 'points',
          where: [
            { property: 'is', op: 'atLeast', value: 500 },
            { property: 'was', op: 'below', value: 500 },
          ],
        },
      ],
      entry: CAN_BE_EMAILED,
      stay: null,
      reentry: 'once',
      goal: { event: 'order.placed', within: 'P30D', ends: true },
      steps: [
        letter(
          'among-the-best',
          'Among the best',
          'You are one of our best customers',
          'And somebody looks after you',
          'You have passed 500 points, and we want to thank you for it. From now on one of us looks after you: ' +
            'answer this letter whenever you need something.',
        ),
      ],
    }),
  },
  {
    key: 'asleep',
    name: 'Asleep',
    says:
      'On the first Monday of each month, who has opened nothing for half a year is asked whether they want to ' +
      'stay. Who does not open it within two weeks is tagged as asleep, so that other flows can leave them ' +
      'alone.',
    needs: ['message.opened'],
    document: flow('Asleep', {
      triggers: [
        {
          id: 'start',
          kind: 'schedule',
          event: 'flow.due',
          key: 'occasion',
          starts: '2027-01-04T10:00',
          rule: 'FREQ=MONTHLY;BYDAY=1MO',
          who: {
            all: [
              CAN_BE_EMAILED,
              { test: 'did', event: 'message.delivered', times: 5, since: { last: 'P180D' } },
              { test: 'didNot', event: 'message.opened', since: { last: 'P180D' } },
              { test: 'tag', tag: 'asleep', has: false },
            ],
          },
        },
      ],
      entry: null,
      stay: null,
      reentry: { after: 'P180D' },
      goal: { event: 'message.opened', within: 'P14D', ends: true },
      steps: [
        letter(
          'still-here',
          'Still here',
          'Shall we go on writing to you?',
          'If not, do nothing',
          'You have not opened our letters for a while. If you read this, we take it that you want to go on getting ' +
            'them. If you would rather not, there is a link below to leave with one click.',
        ),
        wait('two-weeks', 'P14D'),
        { id: 'let-sleep', kind: 'update', name: 'Let them sleep', changes: [{ do: 'tag', tag: 'asleep' }] },
      ],
    }),
  },
];
