/** What somebody of the workshop may be. */
export const roles = ['trainee', 'technician', 'lead', 'manager', 'administrator'] as const
export type Role = (typeof roles)[number]
