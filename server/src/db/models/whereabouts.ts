import type { WhereQuestion } from '@pendro/contract'
import { chars, json, link, maybe, model, moment, oneOf, preset, primary, serial, text } from './columns.ts'

export const Enquiries = model(
  'enquiries',
  { purpose: 'Questions of colleagues for a message', grows: 'a row a question', ends: 'never' },
  {
    id: serial(),
    opened_at: moment(),
    changed_at: moment(),
    mailbox_id: link('mailboxes'),
    how: oneOf('phone', 'mail', 'page', 'in person'),
    words: text(1000),
    question: json<WhereQuestion>(),
    state: oneOf('new', 'being looked for', 'waiting for sender', 'found', 'never sent to us'),
    staffer_id: maybe(link('staffers')),
    answer: preset(text(4000)),
  },
)

export const EnquiryLetters = model(
  'enquiry_letters',
  {
    purpose: 'What colleague and help desk write to each other about an enquiry',
    grows: 'a few rows an enquiry',
    ends: 'with its enquiry',
  },
  {
    id: serial(),
    enquiry_id: link('enquiries'),
    at: moment(),
    by_kind: oneOf('staffer', 'colleague'),
    by_name: text(200),
    how: oneOf('mail', 'page'),
    subject: preset(text(255)),
    words: text(4000),
    message_id: preset(text(320)),
    token: maybe(chars(36)),
    read_at: maybe(moment()),
  },
)

export const EnquiryDeliveries = model(
  'enquiry_deliveries',
  { purpose: 'Messages an enquiry is about', grows: 'a few rows an enquiry', ends: 'with their delivery' },
  {
    enquiry_id: primary(link('enquiries')),
    delivery_id: primary(link('deliveries')),
    how: oneOf('chosen', 'came in'),
    at: moment(),
  },
)

export const EnquiryQueue = model(
  'enquiry_queue',
  {
    purpose: 'Deliveries that open enquiries have not been asked about yet',
    grows: 'a row a delivery',
    ends: 'within seconds',
  },
  {
    delivery_id: primary(link('deliveries')),
  },
)

export const EnquiryReaders = model(
  'enquiry_readers',
  { purpose: 'Who has an enquiry open at the moment', grows: 'a row a reader', ends: 'after a day' },
  {
    enquiry_id: primary(link('enquiries')),
    staffer_id: primary(link('staffers')),
    at: moment(),
  },
)
