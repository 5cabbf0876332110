'use client';

import { useMemo, useState } from 'react';
import { toast } from 'sonner';
import { ROLES, ROLE_WORDS, type Role } from '@/core/access';
import { inviteInput, type TeamView } from '@/core/api';
import {
  api,
  Ask,
  attempt,
  Button,
  Entry,
  fieldClass,
  isoOf,
  Label,
  Page,
  Part,
  sayHours,
  sayMoment,
  sayNames,
  Table,
  type TableColumn,
  useAsked,
  useStore,
} from '../kit';

type Member = TeamView['members'][number];

/** Who works here, and what each of them may do. */
export function TeamScreen({ initial, mayChange }: { initial: TeamView; mayChange: boolean }) {
  const { zone } = useStore();
  const [team, setTeam] = useState(initial);
  const [isInviting, setInviting] = useState(false);
  const [removing, setRemoving] = useState<Member | null>(null);
  const form = useAsked(inviteInput, { email: '', name: '', role: 'editor' });
  const columns = useMemo(
    () =>
      columnsOf(zone, mayChange, {
        role: (member, role) =>
          void attempt(
            async () => setTeam(await api<TeamView>(`/team/${member.id}`, { method: 'PUT', body: { role } })),
            `${member.name} is ${ROLE_WORDS[role].name.toLowerCase()} now.`,
          ),
        again: (member) =>
          void attempt(
            async () => setTeam(await api<TeamView>(`/team/${member.id}/invite`, { method: 'POST' })),
            `Another link is on its way to ${member.email}; the earlier one works no more.`,
          ),
        remove: setRemoving,
      }),
    [zone, mayChange],
  );
  return (
    <Page
      title="Team"
      about="Who works here. What somebody may do is looked at with each thing they do, so another role holds at once."
      acts={
        mayChange && (
          <Button changes="/team" needs="owner" kind="primary" onClick={() => setInviting(true)}>
            Invite…
          </Button>
        )
      }
    >
      <div className="grid gap-4">
        <div className="rounded-md border border-line bg-panel">
          <Table name="Team" rows={team.members} columns={columns} keyOf={({ id }) => id} />
        </div>
        <dl className="grid gap-1 text-sm text-soft">
          {ROLES.map((role) => (
            <div key={role} className="flex gap-2">
              <dt className="w-20 shrink-0 font-semibold text-ink">{ROLE_WORDS[role].name}</dt>
              <dd>{ROLE_WORDS[role].says}</dd>
            </div>
          ))}
        </dl>
        <HowToSignIn team={team} mayChange={mayChange} onChange={setTeam} />
        {!mayChange && <p className="text-sm text-soft">Only an owner says who works here.</p>}
      </div>
      <Ask
        isOpen={isInviting}
        onClose={() => setInviting(false)}
        title="Invite somebody"
        about="They get a mail with a link by which they choose a password. It works once, for seven days."
        act="Invite"
        form={form}
        onAct={async (asked) => {
          setTeam(await api<TeamView>('/team', { method: 'POST', body: asked }));
          form.reset();
          toast.success(`A mail is on its way to ${asked.email}.`);
        }}
      >
        <Entry form={form} name="name" label="Name" />
        <Entry form={form} name="email" label="Email" type="email" />
        <Entry form={form} name="role" label="Role" as="select">
          {ROLES.map((role) => (
            <option key={role} value={role}>
              {ROLE_WORDS[role].name}
            </option>
          ))}
        </Entry>
      </Ask>
      {removing && (
        <Ask
          isOpen
          onClose={() => setRemoving(null)}
          title={`Remove ${removing.name}?`}
          about="They are signed out at once, and cannot sign in any more. What they did stays in the log under their name."
          act="Remove"
          isDanger
          onAct={async () => {
            setTeam(await api<TeamView>(`/team/${removing.id}`, { method: 'DELETE' }));
            setRemoving(null);
          }}
        />
      )}
    </Page>
  );
}

/** How long a session may last, in hours. */
const HOURS = [12, 24, 7 * 24, 14 * 24];

/** How everybody signs in: after how long again, and whether with a second factor. */
function HowToSignIn({ team, mayChange, onChange }: { team: TeamView; mayChange: boolean; onChange: (team: TeamView) => void }) {
  const { hours, second } = team.signingIn;
  const [isAsking, setAsking] = useState(false);
  const put = async (change: Partial<TeamView['signingIn']>) =>
    onChange(await api<TeamView>('/team/signing-in', { method: 'PUT', body: { hours, second, ...change } }));
  const without = team.members.filter((one) => one.joinedAt !== null && !one.hasSecond && !one.passkeys);
  return (
    <Part title="Signing in">
      <div className="grid gap-3 p-4">
        <label className="flex items-center gap-3">
          <span className="w-56">Everybody signs in again after</span>
          <select
            value={hours}
            disabled={!mayChange}
            onChange={(event) => {
              const again = Number(event.target.value);
              void attempt(() => put({ hours: again }), `Everybody signs in again after ${sayHours(again)}.`);
            }}
            className={`${fieldClass} w-32`}
          >
            {[...new Set([...HOURS, hours])]
              .toSorted((a, b) => a - b)
              .map((one) => (
                <option key={one} value={one}>
                  {sayHours(one)}
                </option>
              ))}
          </select>
        </label>
        <label className="flex items-center gap-3">
          <input
            type="checkbox"
            checked={second}
            disabled={!mayChange}
            onChange={(event) =>
              event.target.checked ? setAsking(true) : void attempt(() => put({ second: false }), 'A password alone is enough again.')
            }
          />
          Ask everybody for a second factor or a passkey
        </label>
      </div>
      <Ask
        isOpen={isAsking}
        onClose={() => setAsking(false)}
        title="Ask everybody for a second factor?"
        about={
          without.length
            ? `${sayNames(without.map(({ name }) => name))} ${without.length === 1 ? 'has' : 'have'} none: until they set one up, their own account is all they get.`
            : 'Everybody has one already. Who joins sets one up first.'
        }
        act="Ask for it"
        onAct={async () => {
          await put({ second: true });
          setAsking(false);
          toast.success('From now on everybody signs in with a second factor or a passkey.');
        }}
      />
    </Part>
  );
}

interface Acts {
  readonly role: (member: Member, role: Role) => void;
  readonly again: (member: Member) => void;
  readonly remove: (member: Member) => void;
}

/** By what somebody signs in: the password, which is asked for a code where there is a second factor, and devices. */
const waysIn = ({ hasSecond, passkeys }: Member): string[] => [
  hasSecond ? 'password and code' : 'password',
  ...(passkeys ? [passkeys === 1 ? 'a passkey' : `${passkeys} passkeys`] : []),
];

const columnsOf = (zone: string, mayChange: boolean, acts: Acts): TableColumn<Member>[] => [
  {
    key: 'name',
    name: 'Name',
    value: ({ name }) => name,
    show: (member) => (
      <>
        <b>{member.name}</b> {member.isYou && <Label>you</Label>}
        <span className="block text-xs text-soft">{member.email}</span>
      </>
    ),
  },
  {
    key: 'role',
    name: 'Role',
    value: ({ role }) => ROLE_WORDS[role].name,
    show: (member) =>
      mayChange ? (
        <select
          aria-label={`Role of ${member.name}`}
          value={member.role}
          onChange={(event) => acts.role(member, event.target.value as Role)}
          className={`${fieldClass} w-32`}
        >
          {ROLES.map((role) => (
            <option key={role} value={role}>
              {ROLE_WORDS[role].name}
            </option>
          ))}
        </select>
      ) : (
        ROLE_WORDS[member.role].name
      ),
  },
  {
    key: 'second',
    name: 'Signs in by',
    value: (member) => waysIn(member).join(', '),
    show: (member) =>
      member.hasSecond || member.passkeys ? (
        <span className="flex flex-wrap gap-1">
          {waysIn(member).map((way, n) => (
            <Label key={way} {...((n > 0 || member.hasSecond) && { tone: 'good' })}>
              {way}
            </Label>
          ))}
        </span>
      ) : (
        <span className="text-soft">{waysIn(member).join(', ')}</span>
      ),
  },
  {
    key: 'seen',
    name: 'Last here',
    value: ({ seenAt }) => seenAt && isoOf(seenAt),
    show: (member) =>
      member.joinedAt === null ? (
        <Label tone="caution">invited{member.invitedBy && ` by ${member.invitedBy}`}</Label>
      ) : member.seenAt ? (
        sayMoment(member.seenAt, zone)
      ) : (
        <span className="text-soft">not signed in now</span>
      ),
  },
  ...(mayChange
    ? [
        {
          key: 'acts',
          name: '',
          show: (member: Member) => (
            <span className="flex justify-end gap-1">
              {member.joinedAt === null && (
                <Button changes="/team" needs="owner" kind="quiet" onClick={() => acts.again(member)}>
                  Send again
                </Button>
              )}
              <Button changes="/team" needs="owner" kind="quiet" onClick={() => acts.remove(member)} aria-label={`Remove ${member.name}`}>
                Remove…
              </Button>
            </span>
          ),
        },
      ]
    : []),
];
