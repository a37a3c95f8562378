import { chars, day, integer, maybe, model, moment, preset, primary, text } from './columns.ts'

export const DoorDays = model(
  'door_days',
  {
    purpose: 'How much each door and each way took, refused and was asked to bring again, by day',
    grows: 'a row a door and day',
    ends: 'with the days of headers',
  },
  {
    door: primary(text(300)),
    day: primary(day()),
    taken: preset(integer()),
    refused: preset(integer()),
    later: preset(integer()),
  },
)

export const DoorStates = model(
  'door_states',
  {
    purpose: 'When each door and each way last worked, and what was wrong last',
    grows: 'a row a door',
    ends: 'never',
  },
  {
    door: primary(text(300)),
    taken_at: maybe(moment()),
    problem_at: maybe(moment()),
    problem: preset(text(500)),
  },
)

export const DoorConnections = model(
  'door_connections',
  {
    purpose: 'Who connects to a door, and what they were told last',
    grows: 'a row a connection, some a second at most',
    ends: 'after a day',
  },
  {
    process: primary(chars(36)),
    n: primary(integer()),
    door: text(300),
    ip: text(45),
    helo: text(255),
    tls: text(40),
    began_at: moment(),
    seen_at: moment(),
    ended_at: maybe(moment()),
    taken: preset(integer()),
    answer: preset(text(500)),
  },
)
