/** States of an enquiry that somebody still waits for. */
export const openStates = ['new', 'being looked for', 'waiting for sender'] as const

/** SQL: whether an enquiry that is still open is about the delivery `d`. What somebody asks for must not go. */
export const openEnquirySql = `EXISTS (SELECT 1 FROM enquiry_deliveries x JOIN enquiries e ON e.id = x.enquiry_id
  WHERE x.delivery_id = d.id AND e.state IN (${openStates.map(state => `'${state}'`).join(', ')}))`
